"""`python -m quarry` is the command ``quarry``."""

from quarry.project.cli import main

main(prog_name="quarry")
