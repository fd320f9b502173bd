"""``python -m helvor``: the commands behind the launcher."""

import sys

from helvor.command import main

sys.exit(main())
