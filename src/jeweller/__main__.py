"""`python -m jeweller`: the command line program."""

import sys

from jeweller.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
