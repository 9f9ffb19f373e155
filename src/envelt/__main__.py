"""``python -m envelt``."""

from .cli.app import main

main()
