"""`python -m nervus` does what the command `nervus` does."""

import sys

from nervus.cli import main

sys.exit(main())
