# `make demo` and `make test` each make their own virtual environment and need nothing
# but Python 3.11 or newer. Without make, do by hand what the rules say.
PYTHON ?= python3
BIN = bin
SOURCES := $(shell find src -type f -not -name '*.pyc') pyproject.toml hatch_build.py README.md \
  constraints.txt
# What was tested is what is installed.
INSTALL = -m pip install --quiet --disable-pip-version-check --constraint constraints.txt

.PHONY: demo test check bench clean

demo: .venv-demo/ready
	.venv-demo/$(BIN)/gruff demo

test: .venv-test/ready
	.venv-test/$(BIN)/python -m tests.all

check: .venv-test/checks-ready
	.venv-test/$(BIN)/ruff format --check .
	.venv-test/$(BIN)/ruff check .
	$(MAKE) -j2 types-linux types-win32 types-darwin

types-%:
	.venv-test/$(BIN)/mypy --platform $* --cache-dir .mypy_cache/$*

bench: .venv-test/ready
	.venv-test/$(BIN)/python bench/measure.py

.venv-demo/ready: $(SOURCES)
	$(PYTHON) -m venv .venv-demo
	.venv-demo/$(BIN)/python $(INSTALL) --upgrade .
	touch $@

.venv-test/ready: $(SOURCES)
	$(PYTHON) -m venv .venv-test
	.venv-test/$(BIN)/python $(INSTALL) --upgrade '.[test]'
	touch $@

.venv-test/checks-ready: .venv-test/ready
	.venv-test/$(BIN)/python $(INSTALL) '.[check]'
	touch $@

clean:
	rm -rf .venv-demo .venv-test bench/scratch
