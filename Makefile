# Everything a newcomer needs: `make demo` and `make test`. Each target installs what it needs.

SHELL := /bin/bash
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STATIC := src/caddrel/service/static/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f 2>/dev/null) console/index.html console/vite.config.ts console/svelte.config.js
BIND ?= 127.0.0.1:8420
DATA ?= .demo
# Where tests write: in memory, where the system has a place for that, as nothing of it is kept.
SCRATCH := $(shell test -w /dev/shm && echo /dev/shm || echo $${TMPDIR:-/tmp})
# Tests wait for services and browsers of their own much of the time: two of them share a core.
WORKERS ?= $(shell echo $$((2 * $$(nproc))))

# Compiled once, not at every start: a command and a service begin in a third of the time then.
unexport PYTHONDONTWRITEBYTECODE
# What the service needs and what the console needs are fetched beside each other.
MAKEFLAGS += --jobs=2

.PHONY: install demo test check lint types reference bench fuzz soak pins sbom clean browser

install: $(VENV)/.installed $(STATIC)

# Of what is fetched, most is never imported: what is, is compiled then, and stays so.
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile

# What runs Caddrel, and nothing else, each file with the digest that was seen when it was chosen.
$(VENV)/.installed: requirements/runtime.lock pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(PIP) --require-hashes -r requirements/runtime.lock
	$(PIP) --no-deps --no-build-isolation --editable .
	@touch $@

$(VENV)/.developing: requirements/development.lock $(VENV)/.installed
	$(PIP) --require-hashes -r requirements/development.lock
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

# Debian's Chromium and fonts, when they are missing and may be installed. The one without a window: one with a window
# serves as well, but spends more of a processor on itself than on the page.
browser:
	@bash tools/debian.sh chromium-headless-shell "browser tests will be skipped" \
	  chromium-headless-shell fonts-liberation fonts-dejavu-core

test: install $(VENV)/.developing browser
	cd console && npm test --silent & of_console=$$!; \
	TMPDIR=$(SCRATCH) $(BIN)/python -m pytest -n $(WORKERS) --dist worksteal $(PYTEST_ARGS) && wait $$of_console

# Lint, types, layers, console, tests.
check: lint test

lint: install $(VENV)/.developing
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
types: install $(VENV)/.developing
	$(BIN)/python tools/console_types.py

# Ratios within one run: bench/results.json and the table in docs.
bench: install $(VENV)/.developing
	@bash tools/debian.sh wrk "the door will not be measured" wrk
	$(BIN)/python -m bench

# The evaluators on 100,000 random rulebooks and attempts.
fuzz: install $(VENV)/.developing
	PYTHONPATH=. $(BIN)/python tools/fuzz.py

# The same with twenty times as much: the service killed again and again, an attack that takes its time, and ten minutes
# of doors asking, beside imports and publishes.
soak: install $(VENV)/.developing browser
	TMPDIR=$(SCRATCH) CADDREL_SOAK=20 $(BIN)/python -m pytest --timeout=0 tests/service/test_killed.py tests/service/http/test_foreign_client.py
	TMPDIR=$(SCRATCH) $(BIN)/python tools/attack.py --large
	TMPDIR=$(SCRATCH) $(BIN)/python tools/endurance.py --seconds 600

# Choose versions anew, with their digests.
pins:
	$(PYTHON) -m venv .install/pins
	.install/pins/bin/python -m pip install --quiet --disable-pip-version-check pip-tools
	cd requirements && for of in runtime development; do ../.install/pins/bin/pip-compile --quiet --upgrade \
	  --generate-hashes --allow-unsafe --strip-extras --no-annotate --no-header --no-emit-index-url \
	  --no-emit-trusted-host --output-file $$of.lock $$of.in || exit 1; done

# A bill of materials (CycloneDX) of the service, and one of the console.
sbom: install $(VENV)/.developing
	$(BIN)/cyclonedx-py requirements requirements/runtime.lock --output-format JSON --output-file sbom-service.json
	cd console && npm sbom --sbom-format cyclonedx --package-lock-only --omit optional --omit peer > ../sbom-console.json

clean:
	rm -rf $(VENV) console/node_modules src/caddrel/service/static .demo
