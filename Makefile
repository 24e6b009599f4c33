.PHONY: install build run test quick lint bench types

install:
	@start/install.sh

build: install
	@start/build.sh

run: build
	@exec .venv/bin/python -m start.serve

test: build lint
	@.venv/bin/python -m pytest
	@cd web && npm run --silent test

quick: build
	@.venv/bin/python -m pytest -m "not slow and not screens"

lint: install
	@.venv/bin/ruff format --check core server start tests demo bench
	@.venv/bin/ruff check core server start tests demo bench
	@.venv/bin/mypy
	@cd web && npm run --silent check

bench: install
	@for name in delaunay surface fill whole facets; do .venv/bin/python -m bench.$$name || exit 1; done

types: install
	@.venv/bin/python -m start.schema
	@cd web && npm run --silent types
