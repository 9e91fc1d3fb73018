"""``python -m tin_kettle``."""

from tin_kettle.cli.main import main

# workers of a batch begin by reading this again
if __name__ == "__main__":
    main()
