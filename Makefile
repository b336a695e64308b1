PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test check install terminal bridge bench clean

demo: install
	$(BIN)/whorlograph demo

test: install terminal
	$(BIN)/python .ci/tests.py

check: install
	$(BIN)/ruff check src tests benchmarks
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python .ci/structure.py

install: $(VENV)/.installed

# The lock file fixes every version; pip alone is needed.
$(VENV)/.installed: pyproject.toml requirements.lock
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $@

# The terminal tests drive the application in tmux; where it cannot be installed they are left out and named.
terminal:
	@command -v tmux >/dev/null || { apt-get update -qq && apt-get install -y -qq tmux; } >/dev/null 2>&1 || true

bridge: install
	$(BIN)/python -m whorlograph.plant.make

bench: install
	$(BIN)/python -m benchmarks

clean:
	rm -rf $(VENV) build src/*.egg-info
