# Two commands do everything on a fresh machine: make demo, make test.
PYTHON ?= python3
BIN = .venv/bin
DATA ?= data
PORT ?= 8765

.PHONY: demo serve test programs fuzz haste lint bench bench-findings bench-real bench-examples bench-formulas bench-look-alikes bench-for-each bench-files load faults docs screenshots vendor lock clean

demo: .venv/.run ## set up, start the app with the example world
	$(BIN)/updraft demo --data $(DATA) --port $(PORT)

serve: .venv/.run ## set up, start the app
	$(BIN)/updraft serve --data $(DATA) --port $(PORT)

test: .venv/.dev programs ## set up, browser and database included, and run every test
	@tools/need-real-files $(BIN)/python
	POLARS_MAX_THREADS=1 $(BIN)/pytest -n 3 --dist worksteal # several tests at once, each on small tables

programs: ## what the tests need of the system's packages
	@tools/need-chromium
	@tools/need-postgresql
	@tools/need-mariadb
	@tools/need-iso-codes
	@tools/need-java
	@tools/need-page

fuzz: .venv/.dev ## 10,000 damaged files of every format (about half an hour)
	UPDRAFT_FUZZ=10000 $(BIN)/pytest -n 2 tests/core/test_fuzz.py

haste: .venv/.dev programs ## the browser's tests with answers that come late, and by a hand that does not wait for them
	UPDRAFT_TEST_HASTE=1 POLARS_MAX_THREADS=1 $(BIN)/pytest -n 2 tests/browser

lint: .venv/.dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check -q .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache
	$(BIN)/deptry src
	@tools/lint-page

bench: .venv/.dev ## measure; writes docs/performance.md
	$(BIN)/python bench/run.py

bench-findings: .venv/.dev ## plant defects in clean tables, and count what is found and repaired
	$(BIN)/python bench/findings.py

bench-real: .venv/.dev ## the same on tables that nobody here made; needs the network once
	$(BIN)/python bench/real.py
	$(BIN)/python bench/real_findings.py work
	$(BIN)/python bench/real_findings.py apart

bench-examples: .venv/.dev ## how many formulas are worked out from examples, and how fast
	$(BIN)/python bench/by_example.py

bench-formulas: .venv/.dev ## how soon the editor shows what a formula gives
	$(BIN)/python bench/formulas.py

bench-look-alikes: .venv/.dev ## how many close pairs are found, and how fast
	$(BIN)/python bench/look_alikes.py

bench-for-each: .venv/.dev ## what a turn of For each costs beyond its work
	$(BIN)/python bench/for_each.py

bench-files: .venv/.dev ## real files with their right answers; needs the network once
	$(BIN)/python -m tests.real_files all
	$(BIN)/python bench/real_files.py work apart second third

load: .venv/.dev ## fifty people on tables of 1 million rows, for a minute
	$(BIN)/python bench/load.py

faults: .venv/.dev ## 200 kills at random moments, and damaged data folders; several minutes
	$(BIN)/python bench/faults.py

docs: .venv/.run ## write docs/steps.md, docs/flow.schema.json and the types of the page anew
	$(BIN)/python tools/write_docs.py
	$(BIN)/python tools/write_types.py

screenshots: .venv/.dev ## write docs/screenshots anew
	@tools/need-chromium
	$(BIN)/python tools/screenshots.py

vendor: .venv/.dev ## copy front-end packages into the tree; needs npm and the network
	$(BIN)/python tools/vendor.py

lock: .venv/.dev ## resolve the requirements anew; needs the network
	$(BIN)/pip-compile -q --generate-hashes --no-emit-index-url --no-emit-find-links --no-header --strip-extras --allow-unsafe --extra build -o requirements/run.lock pyproject.toml
	$(BIN)/pip-compile -q --generate-hashes --no-emit-index-url --no-emit-find-links --no-header --strip-extras --allow-unsafe --extra dev -o requirements/dev.lock pyproject.toml

clean:
	rm -rf .venv data bench/data

.venv/.made:
	$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Updraft needs Python 3.11 or newer; set PYTHON=…")'
	$(PYTHON) -m venv .venv
	touch $@

.venv/.run: .venv/.made requirements/run.lock pyproject.toml
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements/run.lock
	$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $@

.venv/.dev: .venv/.run requirements/dev.lock
	$(BIN)/pip install -q --disable-pip-version-check --no-compile --require-hashes -r requirements/dev.lock
	touch $@
