"""`python -m isthmus.cli`."""

import sys

from isthmus.cli import main

sys.exit(main())
