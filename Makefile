# Every target sets itself up on a fresh machine.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
DEBIAN := xvfb xauth libegl1 libgl1 libopengl0 libgl1-mesa-dri libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 \
  libxcb-keysyms1 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libdbus-1-3 libfontconfig1
# Programs that are not ours, which tests hold against what leaves the house; a test says so where one is missing.
STRANGERS := desktop-file-utils shared-mime-info glslang-tools spirv-tools spirv-cross chromium chromium-driver
STRANGERS_NPM := gltf-validator@2.0.0-dev.3.10 three@0.170.0 ktx-parse@1.0.0
export QT_LOGGING_RULES := qt.qpa.*=false
XVFB := xvfb-run -a -s "-screen 0 1600x1000x24"
# Without a display, drawing is done by software under a virtual one.
ifeq ($(DISPLAY)$(WAYLAND_DISPLAY),)
UNDER := LIBGL_ALWAYS_SOFTWARE=1 $(XVFB)
else
UNDER :=
endif

# Debian packages, put in place as root where they are missing.
define installed
	missing=""; for p in $(1); do dpkg-query -W -f='$${db:Status-Abbrev}' $$p 2>/dev/null | grep -q ^ii || missing="$$missing $$p"; done; \
	if [ -n "$$missing" ] && command -v apt-get >/dev/null 2>&1; then \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $$missing >/dev/null; \
	  else echo "Please install first: sudo apt-get install$$missing"; fi; fi
endef

WINDOWS := test-window-1 test-window-2 test-window-3 test-window-4

.PHONY: setup ready check demo test test-window $(WINDOWS) test-core test-batch test-work test-kits test-played fuzz torture monkey bench screenshots lint demo-files schema system strangers

setup: system $(VENV)/.prepared

system:
	@$(call installed,$(DEBIAN))

strangers: system
	-@$(call installed,$(STRANGERS))
	-@command -v npm >/dev/null 2>&1 || { $(call installed,nodejs npm); }
	-@test -d .strangers/node_modules/ktx-parse || npm install --silent --no-audit --no-fund --prefix .strangers $(STRANGERS_NPM)

PIP := $(BIN)/python -m pip install -q --disable-pip-version-check --no-deps
# Modules are compiled when they are first loaded, whoever says that they are not to be: most never are.
export PYTHONDONTWRITEBYTECODE :=

# The lock names every package. uv puts them in place in half the time of pip, which does it where uv finds none.
$(VENV)/.ready: requirements.lock pyproject.toml
	$(PYTHON) -m venv $(VENV)
	@awk '/^[A-Za-z0-9]/ { is_uv = /^uv==/ } { print >(is_uv ? "$(VENV)/uv.txt" : "$(VENV)/others.txt") }' requirements.lock
	$(PIP) --no-compile --require-hashes -r $(VENV)/uv.txt && \
	  $(BIN)/uv pip install -q --no-cache --no-deps --require-hashes --python $(BIN)/python -r $(VENV)/others.txt || \
	  $(PIP) --no-compile --require-hashes -r $(VENV)/others.txt
	$(PIP) --no-build-isolation -e .
	-$(BIN)/python -m compileall -q -j 0 src
	@touch $@

# Kernels that are compiled beforehand; without them the application compiles each when it is asked for, and the rest
# behind its first start.
$(VENV)/.prepared: $(VENV)/.ready
	$(BIN)/python -m evenpalette.core.warmup
	@touch $@

# What the window needs; its kernels are compiled behind it.
ready:
	@$(MAKE) --no-print-directory -j2 system $(VENV)/.ready

demo: ready
ifeq ($(DISPLAY)$(WAYLAND_DISPLAY),)
	@echo "There is no display: the demo runs on a virtual one and leaves demo.png as proof."
	EVENPALETTE_SCREENSHOT=demo.png $(UNDER) $(BIN)/evenpalette demo
else
	$(BIN)/evenpalette demo
endif

# Nine parts, four beside each other, for each of them waits for something a quarter of its time; each has a display of
# its own, and what it says is printed when it is done. The longest come first, so that none is left alone at the end.
# They begin when what they need is there: programs of Debian's and npm's that only three ask come in beside the others.
PARTS_OF_TEST := test-core test-kits test-window-2 test-window-1 test-played test-batch test-window-4 test-window-3 test-work

test:
	@$(MAKE) --no-print-directory -j4 -O setup strangers $(PARTS_OF_TEST)

# Style, types and contracts beside the tests, as CI does it.
check:
	@$(MAKE) --no-print-directory -j4 -O setup strangers $(PARTS_OF_TEST) lint

$(WINDOWS) test-core test-work: setup
test-batch test-kits test-played: setup strangers

PYTEST := $(BIN)/python -m pytest -p no:cacheprovider

WINDOW_1 := tests/ui/test_[a-f]*.py
WINDOW_2 := tests/ui/test_[g-o]*.py
WINDOW_3 := tests/ui/test_[p-r]*.py tests/ui/test_s[a-t]*.py
WINDOW_4 := tests/ui/test_s[u-z]*.py tests/ui/test_[t-z]*.py

test-window: $(WINDOWS)

$(WINDOWS): test-window-%:
	$(subst -a ,-a -n 1$*0 ,$(UNDER)) $(PYTEST) $(WINDOW_$*)

# Many projects, scripts, the command line.
BATCH := tests/core/batch tests/core/collection tests/api $(wildcard tests/test_*.py)

test-batch:
	$(subst -a ,-a -n 200 ,$(UNDER)) $(PYTEST) $(BATCH)

# Spoiled files, the graphics card.
WORK := tests/hostile tests/gpu

test-work:
	$(subst -a ,-a -n 160 ,$(UNDER)) $(PYTEST) $(WORK)

test-core:
	$(subst -a ,-a -n 180 ,$(UNDER)) $(PYTEST) $(addprefix --ignore=,tests/ui tests/core/delivery tests/player $(BATCH) $(WORK))

# What leaves the house, by strangers' programs too: in browsers and in the player, and all else.
PLAYED := tests/player $(addprefix tests/core/delivery/,test_page.py test_everywhere.py test_gltf_out.py)

test-kits:
	$(subst -a ,-a -n 220 ,$(UNDER)) $(PYTEST) $(addprefix --ignore=,$(PLAYED)) tests/core/delivery

test-played:
	$(subst -a ,-a -n 240 ,$(UNDER)) $(PYTEST) $(PLAYED)

# Ten thousand spoiled files of every format, each read under a cap of time and memory.
fuzz: setup
	$(BIN)/python -m tests.hostile.fuzz $(FILES)

# Hundreds of kills, overlapping saves, full disks: prints what was lost.
torture: setup
	$(BIN)/python -m tests.hostile.torture $(KILLS)

# Seeded hands on the real window, two at a time: SEEDS of them, each does ACTIONS things. 30 and 400 take an hour here.
SEEDS ?= 30
ACTIONS ?= 400
monkey: setup
	$(UNDER) $(BIN)/python -m tests.hostile.monkey $(SEEDS) $(ACTIONS) $(FIRST)

# All parts, or those in PARTS; figures are kept in benchmarks/history as they are measured.
bench: setup
	$(UNDER) $(BIN)/python -m benchmarks $(PARTS)

screenshots: setup
	$(UNDER) $(BIN)/python -m scripts.screenshots

lint: $(VENV)/.ready
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

demo-files: setup
	$(BIN)/python -m scripts.demo

schema: setup
	$(BIN)/python -m scripts.schema
