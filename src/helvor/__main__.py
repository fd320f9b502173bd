import sys

from helvor.command import main

sys.exit(main())
