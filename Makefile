# Every target sets up what it needs first; `make setup` does nothing when nothing changed.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
KERNELS := src/chronoxis/core/picture/kernels.c
GUIDE := src/chronoxis/guide/index.html

.PHONY: setup demo test checked tested test-thorough sanitize bench screenshots package test-package lock clean

setup: $(VENV)/.ready $(GUIDE)

$(VENV)/.ready: requirements.lock pyproject.toml packaging/system-libraries.sh packaging/compiler.sh $(KERNELS)
	sh packaging/compiler.sh
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
	rm -f $(dir $(KERNELS))_kernels*.so
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	sh packaging/system-libraries.sh $(BIN)/python
	touch $@

# The guide's pages, which ship with the program.
$(GUIDE): $(VENV)/.ready mkdocs.yml docs/guide_build.py $(wildcard docs/guide/*.md docs/guide/theme/* docs/screenshots/*)
	$(BIN)/mkdocs build --quiet --strict

demo: setup
	$(BIN)/chronoxis demo

# Tests wait now and then, for disks and processes: meanwhile there is time for the checks.
test: setup
	$(MAKE) --no-print-directory -j 2 checked tested

checked:
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

# They start the program many times over: compiled once, it starts in half the time.
tested:
	$(BIN)/python -m compileall -q src
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n 2

# Every case of every test, and longer searches for what breaks a property.
test-thorough: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n 2 --thorough

# The loops over pixels, built so that every read and write out of bounds ends the run.
sanitize: setup
	sh packaging/sanitized.sh $(BIN)/python $(KERNELS) tests/core/test_kernel_library.py \
	    tests/core/test_kernel_sizes.py tests/core/test_picture.py tests/core/test_making.py

bench: setup
	$(BIN)/python -m bench

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m docs.take_screenshots

# What can be handed out, below dist/: sdist, wheel and .deb.
package: setup
	sh packaging/package.sh $(BIN)

# Installs what `make package` made, where there is neither compiler nor checkout, uses it and removes it.
test-package:
	sh packaging/test_package.sh

# The lock names releases and their hashes only, so that it holds whatever index serves them.
lock: setup
	$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --extra dev \
	    --no-emit-index-url --no-header --no-annotate -o requirements.lock pyproject.toml

clean:
	rm -rf $(VENV) $(dir $(GUIDE)) dist build
