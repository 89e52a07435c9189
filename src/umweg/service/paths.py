"""Where things lie in a checkout."""

from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
FRONT_END = ROOT / "frontend"
DATA = ROOT / ".umweg"
"""The private database and everything else that is not in git."""
