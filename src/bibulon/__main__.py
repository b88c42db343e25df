"""``python -m bibulon``: the command line."""

from bibulon.cli import main

main()
