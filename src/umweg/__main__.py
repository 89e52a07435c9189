"""``python -m umweg``: as the launcher starts it."""

import gc

# Half a million things are made while everything is loaded, and none of them is let go again.
gc.disable()

from umweg.cli import main  # noqa: E402

if __name__ == "__main__":
    main()
