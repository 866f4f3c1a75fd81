# Everything a newcomer needs: `make demo` and `make test`. Each target installs what it needs.

SHELL := /bin/bash
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STATIC := src/caddrel/service/static/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f 2>/dev/null) console/index.html console/vite.config.ts console/svelte.config.js
BIND ?= 127.0.0.1:8420
DATA ?= .demo

.PHONY: install demo test check lint types reference bench fuzz clean browser

install: $(VENV)/.installed $(STATIC)

$(VENV)/.installed: requirements.lock pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	@touch $@

console/node_modules/.installed: console/package.json console/package-lock.json
	cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STATIC): console/node_modules/.installed $(CONSOLE_SOURCES)
	cd console && npx --no-install vite build --logLevel warn
	@touch $@

# The demo service, with thirty days of sign-ins at an invented ferry line.
demo: install
	@$(BIN)/caddrel demo --data $(DATA) --bind $(BIND)

# Debian's Chromium and fonts, when they are missing and may be installed.
browser:
	@bash tools/browser.sh

test: install browser
	$(BIN)/python -m pytest -n auto $(PYTEST_ARGS)

# Lint, types, layers, console, tests.
check: lint test

lint: install
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/console_types.py --check
	cd console && npx --no-install svelte-check --tsconfig ./tsconfig.json --fail-on-warnings

# The reference of language and format, from their tables.
reference: install
	$(BIN)/python tools/build_reference.py

# The console's types, from the service's own schema.
types: install
	$(BIN)/python tools/console_types.py

# Ratios within one run: bench/results.json and the table in docs.
bench: install
	$(BIN)/python -m bench

# The evaluators on 100,000 random rulebooks and attempts.
fuzz: install
	PYTHONPATH=. $(BIN)/python tools/fuzz.py

clean:
	rm -rf $(VENV) console/node_modules src/caddrel/service/static .demo
