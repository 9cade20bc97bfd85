"""`python -m opossum` is `opossum`. The core knows nothing of commands: they are found by their name, as the shell finds them."""

from importlib import import_module

import_module("opossum_commands.main").main()
