# Two commands matter: `make demo` starts Escala with its demo shot, `make test` runs every test.
# Both do all set-up on a fresh Debian machine with Python 3.11 and Node 20.

# Debian's Python is built with all its optimisations; one that was built by hand often is not, and takes up to twice as
# long for everything. The versions in constraints.txt were chosen with 3.11. Another one: make PYTHON=...
DEBIAN_PYTHON := /usr/bin/python3
IS_FIT := import ensurepip, sys; sys.exit(sys.version_info[:2] != (3, 11))
PYTHON ?= $(shell $(DEBIAN_PYTHON) -c "$(IS_FIT)" 2>/dev/null && echo $(DEBIAN_PYTHON) || echo python3)
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8320
# A folder of own renders that `make demo` offers, too.
MEDIA ?=
PACKAGES := .stamp-packages
FRONT := .stamp-front
KERNELS := .stamp-kernels
BYTECODE := .stamp-bytecode
FRONT_FILES := $(shell find frontend/src frontend/public frontend/build docs/manual docs/screenshots -type f) \
  frontend/index.html frontend/share.html frontend/vite.config.ts frontend/tsconfig.json frontend/package.json frontend/package-lock.json
SOURCE_FILES := $(shell find src/escala -name '*.py')
KERNEL_FILES := $(shell find src/escala/core src/escala/stage -name '*.py')

.PHONY: demo test test-core fuzz lint setup types manual wheel bench screenshots chromium clean

demo: setup
	$(BIN)/escala demo --port $(PORT) $(if $(MEDIA),--media "$(MEDIA)")

test: setup chromium
	$(BIN)/python -m tests.runner

test-core: setup
	$(BIN)/python -m tests.runner core

# All cases of the tests that are sampled otherwise.
fuzz: setup
	ESCALA_TEST_ALL=1 $(BIN)/python -m tests.runner media.test_fuzz web.test_fuzzed_api engine.test_keys core.test_properties

lint: setup
	$(BIN)/ruff check src tests
	$(BIN)/ruff format --check src tests
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd frontend && npm run --silent check && npm run --silent lint

setup: $(PACKAGES) $(FRONT) $(KERNELS) $(BYTECODE)

$(PACKAGES): pyproject.toml constraints.txt
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --constraint constraints.txt --editable '.[dev,denoise,usd,video,cluster]'
	touch $@

$(FRONT): $(FRONT_FILES)
	cd frontend && npm ci --silent --no-audit --no-fund && npm run --silent build
	touch $@

# Compiles the kernels once, so that the first start is as quick as the second. A kernel that was compiled into
# another is not noticed when it changes: all are made anew when any changes.
$(KERNELS): $(PACKAGES) $(KERNEL_FILES)
	find src -name '*.nb[ic]' -delete
	$(BIN)/python -m escala.compile_kernels
	touch $@

# Where Python may not keep what it compiles, each start would compile all modules anew: a third of a second.
$(BYTECODE): $(PACKAGES) $(SOURCE_FILES)
	$(BIN)/python -m compileall -q src/escala
	touch $@

# The browser tests drive Debian's Chromium without a screen; its package with a screen serves them, too, but slower.
chromium:
	@command -v chromium-headless-shell >/dev/null \
	|| { [ "$$(id -u)" = 0 ] && apt-get update -qq \
	  && apt-get install -y -qq --no-install-recommends chromium chromium-headless-shell; } \
	|| command -v chromium >/dev/null \
	|| { echo "The browser tests need Chromium: sudo apt-get install chromium chromium-headless-shell" >&2; exit 1; }

types: $(PACKAGES)
	$(BIN)/python -m escala.web.openapi > frontend/openapi.json
	$(BIN)/python -m escala.web.openapi defaults > frontend/src/api/defaults.json
	cd frontend && npm run --silent types && npx prettier --log-level warn --write src/api/defaults.json

# The manual as a site of plain files in dist/manual, as it is inside the application.
manual: $(PACKAGES)
	$(BIN)/mkdocs build --strict --quiet

# A wheel with the built pages; pip builds it in a folder of its own.
wheel: $(PACKAGES) $(FRONT)
	$(BIN)/pip wheel --quiet --disable-pip-version-check --no-deps --wheel-dir dist .

bench: setup
	$(BIN)/escala bench

screenshots: setup chromium
	$(BIN)/python -m tests.browser.screenshots

clean:
	rm -rf $(VENV) frontend/node_modules src/escala/web/static .stamp-*
