"""``docs/validation.md``: every comparison with its source, its band and its figures."""

from umweg.validation import comparisons
from umweg.validation.compare import Comparison

_HEAD = """# The laws beside sources that nobody here wrote

Made by `./umweg formats`; `./umweg validate` works the same figures out and says whether each keeps
its band, and so does a test. Sources are packages that others keep (`fluids`, `scipy`), standards'
formulas, and closed forms of textbooks; where a source is a bound, the figure lies on its right side.
"""
_KINDS = {"equal": "source", "at_most": "at most", "at_least": "at least"}


def _band(comparison: Comparison) -> str:
    parts = [f"{100.0 * comparison.band:g} %"] if comparison.band else []
    parts += [f"{comparison.floor:g} {comparison.unit}"] if comparison.floor > 1e-5 else []
    return " and ".join(parts) or "none"


def _section(comparison: Comparison) -> str:
    unit = "" if comparison.unit == "1" else f" [{comparison.unit}]"
    rows = [
        f"| {p.at} | {p.ours:.4g} | {p.reference:.4g} |{'' if comparison.within(p) else ' **outside** |'}"
        for p in comparison.points
    ]
    return "\n".join(
        [
            f"## {comparison.name}",
            "",
            f"Law: {comparison.law}. Source: {comparison.source}. Room: {_band(comparison)}.",
            "",
            f"| at | ours{unit} | {_KINDS[comparison.kind]}{unit} |",
            "|---|---|---|",
            *rows,
        ]
    )


def validation_page() -> str:
    """The page as Markdown."""
    return "\n\n".join([_HEAD.strip(), *(_section(c) for c in comparisons())]) + "\n"
