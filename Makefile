# The two commands a newcomer needs are `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

# tests of everything below the window: they run without Qt
BELOW := tests/core tests/media tests/shot tests/robust tests/realdata tests/test_dependencies.py

.PHONY: setup setup-dev system demo test test-long fuzz bench bench-key bench-mattes bench-mends bench-slips screenshots check lock clean

setup: $(VENV)/ready ## the environment only

$(VENV)/ready: requirements.lock pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Transmixis needs Python 3.11 or newer; set PYTHON=...") if sys.version_info < (3, 11) else None'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --upgrade pip
	$(BIN)/python -m pip install --quiet -r requirements.lock
	$(BIN)/python -m pip install --quiet --no-deps -e .
	$(BIN)/python -m transmixis.core.warm
	touch $(VENV)/ready

$(VENV)/ready-dev: $(VENV)/ready requirements-dev.lock
	$(BIN)/python -m pip install --quiet -r requirements-dev.lock
	touch $(VENV)/ready-dev

setup-dev: $(VENV)/ready-dev ## the environment with what tests and checks need

system: ## the system libraries that Qt needs
	./tools/system-packages.sh

demo: system setup ## set up, then open the demo film (or render it where there is no display)
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(BIN)/transmixis demo; \
	else $(BIN)/transmixis demo --headless --into "$(CURDIR)/out/kite_post"; fi

test: system setup-dev ## set up, then all checks and tests
	$(BIN)/ruff check src tests demo/make_production.py tools bench
	$(BIN)/ruff format --check src tests bench tools
	$(BIN)/mypy
	$(BIN)/lint-imports
	TRANSMIXIS_NO_QT=1 $(BIN)/python -m pytest -n 2 --dist loadgroup -p no:pytest-qt -p no:xvfb -W ignore::pytest.PytestConfigWarning $(BELOW)
	$(BIN)/python -m pytest -n 2 -m "not alone" tests/desk tests/test_cli.py tests/test_dependencies.py tests/test_shape_of_code.py tests/test_long.py
	$(BIN)/python -m pytest -m alone

test-long: ## the same with the tests that repeat others at more seeds, sizes and takes (tests/long.txt)
	TRANSMIXIS_LONG=1 $(MAKE) test

fuzz: system setup-dev ## thousands of damaged documents, media and command lines, races and kills (about an hour)
	TRANSMIXIS_FUZZ=3000 TRANSMIXIS_RACES=300 TRANSMIXIS_KILLS=200 $(BIN)/python -m pytest tests/robust --timeout 3600

bench: setup-dev ## speed, as ratios against plain library calls
	$(BIN)/python bench/speed.py
	$(BIN)/python bench/survey_speed.py
	$(BIN)/python bench/edit_keys.py
	$(BIN)/python bench/load.py
	$(BIN)/python bench/track_speed.py
	$(BIN)/python bench/layers.py

bench-slips: setup-dev ## how many slips of tracks are named, and how few frames a hand sets
	$(BIN)/python bench/track_slips.py

bench-mends: setup-dev ## quality of mends beside plain ways
	$(BIN)/python bench/clean_patch.py
	$(BIN)/python bench/mends.py

bench-mattes: setup-dev ## quality of mattes without a screen, beside plain ways
	$(BIN)/python bench/difference_matte.py
	$(BIN)/python bench/band_edges.py
	$(BIN)/python bench/strokes.py
	$(BIN)/python bench/roto_pins.py

bench-key: setup-dev ## quality of the key against the three plain ways
	$(BIN)/python bench/key_quality.py

screenshots: system setup-dev ## remake docs/screenshots
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py

LOCK := $(BIN)/pip-compile --quiet --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-header

lock: ## write both locks anew from pyproject.toml: what the program needs, and what developers need beside it
	$(BIN)/python -m pip install --quiet pip-tools
	$(LOCK) --extra dev -o requirements-dev.lock pyproject.toml
	$(LOCK) -c requirements-dev.lock -o requirements.lock pyproject.toml

clean:
	rm -rf $(VENV) out .pytest_cache .mypy_cache .ruff_cache .hypothesis
