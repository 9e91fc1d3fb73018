# make setup | demo | test | test-quick | check | attack | bench | screenshots | wheel | lock
PY := .venv/bin/python
UV := .venv/bin/uv
STATIC := src/tin_kettle/web/static/index.html
PORT ?= 8360
# packages go into .venv, whatever environment the shell is in; what set-up and tests start keeps its bytecode
unexport VIRTUAL_ENV CONDA_PREFIX PYTHONDONTWRITEBYTECODE

.PHONY: setup demo test test-quick wheel check attack bench screenshots lock types build dev

demo: setup
	.venv/bin/tin-kettle demo --port $(PORT)

setup: .venv/run.stamp $(STATIC) .venv/kernels.stamp

dev: .venv/dev.stamp $(STATIC) .venv/kernels.stamp

test: dev
	$(PY) tools/ensure_chromium.py
	cd frontend && npm run --silent test
	$(PY) -m tools.run_tests

# for the hand, while one works: rules, stages, recipes and the library, without the engine, the server and the bench
test-quick: dev
	cd frontend && npm run --silent test
	$(PY) -m pytest -q -n 2 tests/core/recipe tests/core/record tests/core/listen tests/store

wheel: build
	$(PY) -c "import hatchling.build; print('dist/' + hatchling.build.build_wheel('dist'))"

check: dev
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	cd frontend && npm run --silent typecheck && npm run --silent lint

attack: dev
	$(PY) -m tests.attack.run

bench: dev
	$(PY) tools/ensure_chromium.py
	$(PY) -m bench.run

screenshots: dev
	$(PY) tools/ensure_chromium.py
	$(PY) -m tools.screenshots

# ---- what the targets above stand on

.venv/bin/uv: requirements/bootstrap.txt
	python3 -m venv .venv
	.venv/bin/pip install --quiet --require-hashes -r requirements/bootstrap.txt
	touch $@

.venv/run.stamp: .venv/bin/uv requirements/run.txt pyproject.toml
	$(UV) pip install --quiet --compile-bytecode --require-hashes -r requirements/run.txt
	$(UV) pip install --quiet --no-deps --no-build-isolation --editable .
	touch $@

.venv/dev.stamp: .venv/run.stamp requirements/dev.txt
	$(UV) pip install --quiet --compile-bytecode --require-hashes -r requirements/dev.txt
	touch $@

# compiled once here, so that nobody waits at the first sound, nor a command where Python may not write bytecode
.venv/kernels.stamp: .venv/run.stamp $(shell git ls-files src/tin_kettle 2>/dev/null)
	$(PY) -m compileall -q src
	$(PY) -c "from tin_kettle.core.dsp.compile import compile_all; compile_all()"
	touch $@

frontend/node_modules/.package-lock.json: frontend/package-lock.json frontend/.npmrc
	cd frontend && npm ci --no-audit --no-fund --silent

$(STATIC): frontend/node_modules/.package-lock.json frontend/index.html frontend/vite.config.ts docs/guide/glossary.md $(shell git ls-files frontend/src 2>/dev/null)
	cd frontend && npm run --silent build
	touch $@

build: $(STATIC)

types: .venv/run.stamp frontend/node_modules/.package-lock.json
	$(PY) -m tin_kettle.core.recipe.schema > docs/recipe.schema.json
	$(PY) -m tin_kettle.core.deliver.spec > docs/spec.schema.json
	$(PY) -m tin_kettle.core.batch.jobs > docs/jobs.schema.json
	$(PY) -m tin_kettle.core.record.document > docs/record.schema.json
	$(PY) -m tin_kettle.core.deliver.listening_page.document > docs/page.schema.json
	$(PY) -m tin_kettle.core.recipe.manual > docs/stages.md
	cd frontend && ../$(PY) -m tin_kettle.core.recipe.schema --written | npm run --silent types

LOCK = $(UV) pip compile --quiet --no-emit-index-url --generate-hashes --python-version 3.11 --custom-compile-command 'make lock'
lock: .venv/bin/uv
	cd requirements && for name in bootstrap run dev; do ../$(LOCK) $$name.in -o $$name.txt; done
	cd frontend && rm -rf node_modules package-lock.json && npm install --no-audit --no-fund
