"""``python -m umweg``: as the launcher starts it."""

import atexit
import gc
import os
import sys

# Half a million things are made while everything is loaded, and none of them is let go again.
gc.disable()
# Nor are they searched for circles when the process ends.
atexit.register(gc.freeze)
# All that is installed would be searched for plugins of the models; there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

# The compiler of the laws asks for these two, to find that there is nothing for it to do: a start
# waits a fifteenth of a second for them.
for _unused in ("coverage", "yaml"):
    sys.modules.setdefault(_unused, None)  # type: ignore[arg-type]

from umweg.cli import main  # noqa: E402

if __name__ == "__main__":
    main()
