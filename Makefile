# Everything is done by run.py, for people without make.
PYTHON ?= python3
.DEFAULT_GOAL := help

help: ## this list
	@grep -E '^[a-z]+:.*##' Makefile | sed -E 's/:.*## /\t/' | expand -t 14
setup: ## make the environment in .venv
	@$(PYTHON) run.py setup
demo: ## load the demo and serve it at http://127.0.0.1:8000 (PORT=...)
	@PORT=$(or $(PORT),8000) $(PYTHON) run.py demo
serve: ## serve without the demo
	@PORT=$(or $(PORT),8000) $(PYTHON) run.py serve
test: ## lint, types, contracts and all tests
	@$(PYTHON) run.py test
test-postgres: ## the workshop's tests on PostgreSQL
	@$(PYTHON) run.py test-postgres
bench: ## the measured figures
	@$(PYTHON) run.py bench
screenshots: ## remake docs/screenshots from the demo
	@$(PYTHON) run.py screenshots
lint: ## ruff, mypy, import contracts
	@$(PYTHON) run.py lint

.PHONY: help setup demo serve test test-postgres bench screenshots lint
