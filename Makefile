# The commands of Zax. `make demo` and `make test` are all a newcomer needs.
# Compiled modules are kept: without them every process of the tests compiles the whole tree again.
unexport PYTHONDONTWRITEBYTECODE
PY := PYTHONPATH=src .venv/bin/python
.PHONY: demo run demo-fresh test check check-fast lint dead types imports share bench torture shots vendor lock setup setup-browser

setup:
	@scripts/setup.sh
setup-browser:
	@scripts/setup.sh browser

demo: setup
	@exec bin/zax demo
run: setup
	@exec bin/zax run
demo-fresh: setup
	@exec bin/zax demo --fresh

test: setup-browser
	$(PY) -m pytest -q -n 2 --dist loadscope --durations 30 tests

check: setup-browser lint types imports dead share test
# Everything but the browser walks and what is marked slow: a minute and a half on two cores.
check-fast: setup lint types imports dead share
	$(PY) -m pytest -q -n 2 --dist loadscope -m "not browser and not slow" tests
lint:
	.venv/bin/python scripts/format_templates.py --check
	.venv/bin/python scripts/format_styles.py --check
	.venv/bin/ruff check src tests scripts
	.venv/bin/ruff format --check src tests scripts
types:
	MYPYPATH=src .venv/bin/mypy --strict -p zax
	MYPYPATH=src .venv/bin/mypy --strict scripts
imports:
	PYTHONPATH=src .venv/bin/lint-imports --no-cache
dead:
	.venv/bin/python scripts/dead_code.py
share:
	.venv/bin/python scripts/test_share.py

bench: setup-browser
	@mkdir -p var
	$(PY) -m zax.demo.bench > var/bench.log
	$(PY) -m zax.demo.bench_people >> var/bench.log
	$(PY) -m zax.demo.bench_browser >> var/bench.log
# Two hundred blows while eight desks work: half an hour. docs/reliability.md says what must hold.
torture: setup
	$(PY) -m zax.demo.torture
shots: setup-browser
	$(PY) scripts/shots.py
vendor:
	@scripts/vendor.sh
lock: setup
	.tools/bin/uv pip compile --quiet --system-certs --universal --python-version 3.11 --generate-hashes --no-header \
		pyproject.toml --group demo --group dev -o requirements.lock
