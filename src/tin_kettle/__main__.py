"""``python -m tin_kettle``."""

from tin_kettle.cli.main import main

main()
