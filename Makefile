# a program that starts dozens of times must not be compiled dozens of times
unexport PYTHONDONTWRITEBYTECODE

.PHONY: install build run serve test page quick lint bench types locks audit

install:
	@start/install.sh

build: install
	@start/build.sh

run: build
	@exec .venv/bin/python -m start.serve

# for a team: see docs/operating.md
serve: build
	@exec .venv/bin/intaglio-server serve

# what is checked without running it beside the page's own tests; then the rest by two workers, a
# file at a time, all that drives the page by one of them (tests/conftest.py)
test: build
	@$(MAKE) --no-print-directory -j 2 lint page
	@.venv/bin/python -m pytest -n 2 --durations 40

page: install
	@cd web && npm run --silent test

quick: build
	@.venv/bin/python -m pytest -n 2 -m "not slow" tests/core tests/server

lint: install
	@.venv/bin/ruff format --check core server start tests demo bench
	@.venv/bin/ruff check core server start tests demo bench
	@.venv/bin/mypy
	@.venv/bin/python -m start.schema --check
	@cd web && npm run --silent check

bench: install
	@for name in starting opening live delaunay surface fill whole facets any_cells handover flow; do .venv/bin/python -m bench.$$name || exit 1; done

types: install
	@.venv/bin/python -m start.schema
	@cd web && npm run --silent types

locks:
	@.venv/bin/python -m start.locks

audit: install
	@.venv/bin/intaglio-server audit
