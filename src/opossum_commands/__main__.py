"""`python -m opossum_commands` is `opossum`."""

from opossum_commands.main import main

main()
