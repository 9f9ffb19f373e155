PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python

EXAMPLES ?= envelt-examples
# one worker a core: matrix products with threads of their own would wait for the other worker's
ALONE := OPENBLAS_NUM_THREADS=1 OMP_NUM_THREADS=1

.PHONY: demo examples test search mutants versions lint benchmarks

demo: $(VENV)/.installed
	$(VENV)/bin/envelt demo

examples: $(VENV)/.installed
	for script in examples/*.py; do \
		name=$$(basename $$script .py); echo "== $$name"; $(PY) $$script $(EXAMPLES)/$$name || exit 1; \
	done

test: $(VENV)/.installed
	$(ALONE) $(PY) -m pytest -n auto

search: $(VENV)/.installed
	$(ALONE) ENVELT_SEARCHES=$${ENVELT_SEARCHES:-3000} $(PY) -m pytest -n auto tests/test_searches.py

mutants: $(VENV)/.installed
	$(PY) -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".[test,mutants]"
	$(PY) tests/mutation.py $${ENVELT_MUTANTS:-300}

versions: $(VENV)/.installed
	$(PY) -m pip install --quiet --disable-pip-version-check -e ".[versions]"
	$(PY) tests/versions.py

lint: $(VENV)/.linters
	$(VENV)/bin/ruff check src tests benchmarks examples
	$(VENV)/bin/ruff format --check src tests benchmarks examples
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

benchmarks: $(VENV)/.installed
	for script in benchmarks/*.py; do echo "== $$script"; $(PY) $$script || exit 1; done

$(VENV)/.installed: pyproject.toml constraints.txt
	$(PYTHON) -m venv $(VENV)
	$(PY) -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".[test]"
	touch $@

$(VENV)/.linters: $(VENV)/.installed
	$(PY) -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".[test,lint]"
	touch $@
