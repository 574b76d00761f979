"""``python -m oddseam``."""

import sys

from oddseam.cli.main import main

sys.exit(main())
