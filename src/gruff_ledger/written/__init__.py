"""How fields are written: as people say it by example, and as their cells show it."""
