# make demo    set everything up and open the desk on the bakery's night
# make test    set everything up and run all tests, with or without a monitor
# make dist     wheels and source archives; make deb: a Debian package
# make lint, make bench, make screenshots, make clean
# make fuzz gives every part thousands of damaged and hostile inputs: a quarter of an hour
# make strangers plays games that nobody here wrote, and make mutants does what no test may overlook: they take long
# make mutants MUTANTS="--only 'opossum.findings.dead_end.*' --sample 0" does it to some modules, whole

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
COMPILED := $(VENV)/.compiled

# many tests wait for games that play: there is work for two workers more than there are processors, up to four
WORKERS := $(shell n=$$(nproc 2>/dev/null || echo 2); n=$$((n + 2)); [ $$n -gt 4 ] && n=4; echo $$n)

.PHONY: demo test lint bench fuzz mutants strangers dist deb screenshots clean setup

demo: setup
	@$(PYTHON) tools/system_libraries.py --screen
	@if [ -z "$$DISPLAY$$WAYLAND_DISPLAY" ]; then \
		echo "There is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set), so the desk cannot open."; \
		echo "What it would show, as text:"; echo; \
		$(BIN)/opossum findings src/moonrise_bakery/data/moonrise.take; \
	else $(BIN)/opossum demo; fi

test: setup $(COMPILED)
	@$(PYTHON) tools/system_libraries.py --tests
	@PYTHONDONTWRITEBYTECODE= QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n $(WORKERS) --dist worksteal

lint: setup
	$(BIN)/ruff check src recorder tests benchmarks tools
	$(BIN)/ruff format --check src recorder tests benchmarks tools
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python benchmarks/run.py

fuzz: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/fuzz.py

mutants: setup
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable ./recorder --editable '.[mutants]'
	@$(BIN)/python tools/mutants $(MUTANTS)

strangers: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/play_strangers.py

dist: setup
	@$(BIN)/python tools/make_dist.py

deb: setup
	@$(BIN)/python tools/make_debian_package.py

screenshots: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/take_screenshots.py

setup: $(READY)
	@$(PYTHON) tools/system_libraries.py

$(READY): pyproject.toml recorder/pyproject.toml $(wildcard recorder/src/opossum_recorder/*.c)
	@$(PYTHON) -c 'import sys; sys.exit(0 if sys.version_info >= (3, 11) else "Opossum needs Python 3.11 or newer; this is " + sys.version.split()[0] + ". Name another with: make PYTHON=python3.12 ...")'
	@$(PYTHON) -m venv $(VENV) || { echo "Python's venv module is missing here. Install it with:  sudo apt-get install -y python3-venv" >&2; rm -rf $(VENV); exit 1; }
	@echo "Setting up (once): packages into $(VENV)"
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable ./recorder --editable .
	@$(BIN)/python -m pip install --quiet --no-compile --disable-pip-version-check --editable '.[dev]'
	@$(BIN)/python -m compileall -q src recorder/src
	@touch $(READY)

# what only tests need is compiled when they ask for it, as they are: by one process, before every worker would do it
$(COMPILED): $(READY)
	@echo "Compiling the tests (once)"
	@PYTHONDONTWRITEBYTECODE= QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest --collect-only -qq >/dev/null 2>&1 || true
	@touch $@

clean:
	rm -rf $(VENV) build dist .pytest_cache .mypy_cache .ruff_cache .hypothesis mutants
