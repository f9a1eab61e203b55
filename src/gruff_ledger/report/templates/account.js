"use strict";
// Sorting and finding in the tables of the page; without it all of it can be read.
for (const table of document.querySelectorAll("table[data-sorts]")) {
  const body = table.tBodies[0];
  const rows = Array.from(body.rows);
  const number = (text) => {
    const plain = text.replace(/[\s ]/g, "");
    return /^-?\d+(\.\d+)?$/.test(plain) ? Number(plain) : null;
  };
  table.querySelectorAll("thead th").forEach((head, at) => {
    const button = document.createElement("button");
    button.type = "button";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") === "ascending";
      table.querySelectorAll("th").forEach((each) => each.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      const text = (row) => (row.cells[at] ? row.cells[at].textContent : "");
      const sorted = rows.slice().sort((one, other) => {
        const a = number(text(one)), b = number(text(other));
        if (a !== null && b !== null) return a - b;
        if (a !== null || b !== null) return a !== null ? -1 : 1;
        return text(one).localeCompare(text(other), undefined, { numeric: true });
      });
      if (down) sorted.reverse();
      body.append(...sorted);
    });
  });
}
for (const find of document.querySelectorAll(".find")) {
  const table = document.getElementById(find.dataset.table);
  const rows = Array.from(table.tBodies[0].rows);
  const input = find.querySelector("input");
  const choice = find.querySelector("select");
  const told = find.querySelector("output");
  const show = () => {
    const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    for (const row of rows) {
      const text = row.textContent.toLowerCase();
      const is = words.every((word) => text.includes(word)) &&
        (!choice || !choice.value || row.dataset.kind === choice.value);
      row.hidden = !is;
      shown += is;
    }
    told.textContent = `${shown} of ${rows.length} shown`;
  };
  find.hidden = false;
  input.addEventListener("input", show);
  if (choice) choice.addEventListener("change", show);
  show();
}
