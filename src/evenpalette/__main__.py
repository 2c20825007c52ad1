"""`python -m evenpalette`."""

import sys

from evenpalette.cli import main

sys.exit(main())
