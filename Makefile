# Two commands are enough on a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8765
# LAN=1 serves your network too, over TLS, to phones that are paired.
WITH_LAN = $(if $(LAN),--lan)
PIP := $(BIN)/pip --disable-pip-version-check install --quiet --require-hashes -r
# Warnings about index pages a machine's own pip configuration names but lacks are of no use to us.
QUIET_PIP := 2> >(grep -v '^WARNING: Location' >&2)
SHELL := /bin/bash
# What Python compiled is kept, the tests’ own modules too, whatever the shell says: they start sooner.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo serve test check bench soak mutants css icons shots lock chromium clean

$(VENV)/.runtime: requirements/runtime.txt pyproject.toml
	@echo "Making the environment from the locked requirements (once, a minute or two) …"
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@$(PIP) requirements/runtime.txt $(QUIET_PIP)
	@$(BIN)/pip --disable-pip-version-check install --quiet --no-deps --no-build-isolation -e . $(QUIET_PIP)
	@$(BIN)/python -m compileall -q src
	@echo "Compiling the flight kernel (once) …"
	@$(BIN)/zesty-cell warm
	@touch $@

$(VENV)/.test: requirements/test.txt $(VENV)/.runtime
	@echo "Adding what the tests need …"
	@$(PIP) requirements/test.txt $(QUIET_PIP)
	@touch $@

$(VENV)/.bench: requirements/bench.txt $(VENV)/.test
	@$(PIP) requirements/bench.txt $(QUIET_PIP)
	@touch $@

$(VENV)/.mutants: requirements/mutants.txt $(VENV)/.test
	@$(PIP) requirements/mutants.txt $(QUIET_PIP)
	@touch $@

demo: $(VENV)/.runtime
	@$(BIN)/zesty-cell demo --port $(PORT) $(WITH_LAN)

serve: $(VENV)/.runtime
	@$(BIN)/zesty-cell serve --port $(PORT) $(WITH_LAN)

chromium:
	@command -v chromium >/dev/null && command -v certutil >/dev/null || { echo "Installing Debian's chromium, and certutil, for the browser tests …"; \
	  SUDO=; [ "$$(id -u)" = 0 ] || SUDO=sudo; \
	  { $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq chromium libnss3-tools >/dev/null; } || { \
	  echo "Could not install chromium. Install it by hand (apt-get install chromium libnss3-tools); until then run: make test E2E=no"; exit 1; }; }

ifeq ($(E2E),no)
test: $(VENV)/.test
	@$(BIN)/pytest -n 2 -m "not e2e"
else
# What asks one function comes first and is quick; then pages asked of the whole application; then its API fuzzed, and
# its pages in a browser.
test: $(VENV)/.test chromium
	@$(BIN)/pytest -n 2 --dist worksteal -m "not e2e and not fuzz" --ignore tests/web
	@$(BIN)/pytest -n 2 --dist worksteal -m "not e2e and not fuzz" tests/web
	@$(BIN)/pytest -n 2 --dist loadfile -m "e2e or fuzz"
endif

check: $(VENV)/.test
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check .
	@$(BIN)/mypy
	@$(BIN)/lint-imports
	@$(BIN)/djlint --lint --quiet src/zesty_cell/web/templates

# All of docs/benchmarks.md, or PART="Laps".
bench: $(VENV)/.bench
	@$(BIN)/python -m benchmarks $(if $(PART),"$(PART)")

# Some twenty-five minutes: hostile requests, files, kills and a crowd.
soak: $(VENV)/.bench
	@$(BIN)/python -m benchmarks.soak

# Some half an hour: changes the rules one at a time and looks which test notices.
mutants: $(VENV)/.mutants
	@$(BIN)/python -m tests.mutants

# Build-time only: what it makes is committed and shipped.
css:
	@cd frontend && npm ci --ignore-scripts --no-audit --no-fund --silent && npm run --silent build

icons: $(VENV)/.test chromium
	@$(BIN)/python -m tests.icons

shots: $(VENV)/.test chromium
	@$(BIN)/python -m tests.shots

# Writes the hashes without any download address.
lock:
	@$(PYTHON) -m venv build/lock && build/lock/bin/pip install --quiet pip-tools
	@cd requirements && for part in runtime test bench mutants; do ../build/lock/bin/pip-compile --quiet --generate-hashes \
	  --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --no-header --strip-extras --allow-unsafe \
	  -o $$part.txt $$part.in; done

clean:
	@rm -rf build .pytest_cache .mypy_cache .ruff_cache .hypothesis
