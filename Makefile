.PHONY: install build run serve test quick lint bench types locks audit

install:
	@start/install.sh

build: install
	@start/build.sh

run: build
	@exec .venv/bin/python -m start.serve

# for a team: see docs/operating.md
serve: build
	@exec .venv/bin/intaglio-server serve

# the core by two workers, a file at a time; what watches the clock or drives the page alone
test: build lint
	@.venv/bin/python -m pytest -n 2 --dist loadfile tests/core
	@.venv/bin/python -m pytest tests/server tests/screens
	@cd web && npm run --silent test

quick: build
	@.venv/bin/python -m pytest -n 2 --dist loadfile -m "not slow" tests/core
	@.venv/bin/python -m pytest -m "not slow" tests/server

lint: install
	@.venv/bin/ruff format --check core server start tests demo bench
	@.venv/bin/ruff check core server start tests demo bench
	@.venv/bin/mypy
	@.venv/bin/python -m start.schema --check
	@cd web && npm run --silent check

bench: install
	@for name in opening live delaunay surface fill whole facets any_cells handover flow; do .venv/bin/python -m bench.$$name || exit 1; done

types: install
	@.venv/bin/python -m start.schema
	@cd web && npm run --silent types

locks:
	@.venv/bin/python -m start.locks

audit: install
	@.venv/bin/intaglio-server audit
