"""``docs/validation.md``: every comparison with its source, its band and its figures."""

from umweg.validation import comparisons, worked_cases
from umweg.validation.compare import Comparison, Point

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


def _by_type() -> str:
    """Every type with the case that was reckoned by hand, and where else it is compared."""
    compared = " ".join(c.law for c in comparisons())
    rows = []
    for case in worked_cases():
        largest = max(case.points, key=lambda p: abs(p.reference), default=Point("", 0.0, 0.0))
        figures = f"{largest.ours:.5g} | {largest.reference:.5g}"
        also = "yes" if f"`{case.law}`" in compared else ""
        rows.append(f"| `{case.law}` | {case.source} | {largest.at} | {figures} | {also} |")
    return "\n".join(
        [
            "## Type by type",
            "",
            "One case for each, reckoned by hand from the equations in its docstring, where their "
            "source stands; shown is the port with the largest figure, all are held within "
            "a thousandth or 10⁻⁴. *above*: also compared with a source above.",
            "",
            "| type | case | port | ours | reckoned | above |",
            "|---|---|---|---|---|---|",
            *rows,
        ]
    )


def validation_page() -> str:
    """The page as Markdown."""
    return "\n\n".join([_HEAD.strip(), *(_section(c) for c in comparisons()), _by_type()]) + "\n"
