"""The customer's sentence, and the words that it may mean: offered, never taken by itself.

A sentence is cut where it turns (commas, “but”, “and”); each piece is searched for a function or a
move by the words of their names, for how it goes, and for when. Names are matched as people type
them, by their closest spelling (difflib's ratio of matching blocks).
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher

from umweg.core.circuit.document import Circuit, Function
from umweg.core.observe.kinds.behaviours import BEHAVIOURS, TOGETHER, Behaviour
from umweg.core.observe.kinds.remarks import NAMES, Remark
from umweg.core.observe.moving import When
from umweg.core.observe.quantities import How
from umweg.core.view import View

CLOSE = 0.82
"""How alike two words are that are one, misspelt: of seven letters one is wrong."""
SHORT = 4
"""Words of fewer letters are the same only letter by letter."""
MOST_OFFERED = 12
ENDINGS = ("ing", "ed", "es", "s")

HOW_SAID: Mapping[How, tuple[str, ...]] = {
    "as_usual": ("as usual", "as ever", "as always", "fine", "all right", "normal", "works", "ok"),
    "slow": ("slow", "slower", "sluggish", "crawls", "takes for ever", "takes ages", "takes long", "lazy"),
    "weak": ("weak", "no force", "no power", "stalls", "not under load", "only empty", "tired", "slips", "half of what", "only light"),
    "dead": (
        "dead", "nothing happens", "does nothing", "no movement", "stands still", "does not", "will not",
        "not any more", "no longer",
    ),
    "reversed": ("wrong way", "other way", "opposite", "reversed"),
    "drifts": ("drifts", "sinks", "sags", "creeps", "comes down by itself", "does not hold", "settles"),
}  # fmt: skip
"""What people say for how a move goes."""
REMARK_SAID: Mapping[Remark, tuple[str, ...]] = {
    "noisy": ("noisy", "noise", "loud", "groans", "rumbles"),
    "whines": ("whines", "howls", "screams", "sings"),
    "hisses": ("hisses",),
    "squeals": ("squeals", "screeches"),
    "rattles": ("rattles", "knocks", "bangs", "clatters"),
    "jerky": ("jerks", "jerky", "judders", "shudders", "stutters", "in fits"),
    "hot": ("gets hot", "runs hot", "too hot", "boils"),
    "by_itself": ("by itself", "on its own", "without the lever"),
    "will_not_stop": ("will not stop", "does not stop", "runs on", "keeps going"),
    "starts_late": ("starts late", "hesitates", "delay", "after a while", "only then"),
    "releases_late": ("releases late", "does not let go", "drags", "stays on"),
}
"""What people say beside it."""
WHEN_SAID: Mapping[When, tuple[str, ...]] = {
    "cold": ("cold", "in the morning", "first thing", "winter"),
    "hot": ("hot", "afternoon", "after an hour", "when warm", "once warm", "longer it works"),
}
"""What people say for when; warm where they say nothing."""
SHORT_FORMS: Mapping[str, str] = {
    r"\bwon'?t\b": "will not",
    r"\b(doesn|don|didn|isn)'?t\b": "does not",
    r"\b(can ?not|can'?t)\b": "does not",
    r"\bdo not\b": "does not",
}
_TURN = re.compile(r"[.,;:!?()]|\bbut\b|\band\b|\bwhile\b|\bwhereas\b|\bthough\b")
EVERYTHING = frozenset({"everything", "anywhere", "all", "whole", "nothing"})
OF_NO_NAME = frozenset({"the", "and", "for", "with", "any", "not", "does", "goes"})


class Offer(View):
    """One word of one move that a piece of the sentence may mean."""

    phrase: str
    words: str
    """Function, move and word, as a line of the record says it."""
    entry: Behaviour


@dataclass
class _Piece:
    text: str
    hows: list[How] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)
    when: When | None = None


def offers(circuit: Circuit, text: str) -> list[Offer]:
    """Words that a sentence may mean, in its order; none where it names nothing of this machine."""
    found: dict[tuple[str, str, When], tuple[str, Behaviour]] = {}
    # Of a machine that does one thing everything is said of that.
    only = circuit.functions if len(circuit.functions) == 1 else ()
    about = [(function, move) for function in only for move in function.moves]
    said = True
    for piece in _pieces(text):
        named = _named(circuit, piece.text)
        # “Telescope and slew dead”: what is named before anything is said of it is meant as well.
        about = named if said and named else [*about, *named]
        said = bool(piece.hows or piece.remarks)
        for function, move in about:
            key = function.id, move, piece.when or "warm"
            if key not in found and piece.hows:
                told = Behaviour(
                    id="new",
                    function=key[0],
                    move=move,
                    how=piece.hows[0],
                    also=tuple(piece.hows[1:]),
                    when=key[2],
                )
                found[key] = piece.text.strip(), told
            if key in found:
                # A sound alone says nothing of how it goes: it stands beside what was said of that.
                phrase, told = found[key]
                beside = (word for word in piece.remarks if word not in told.also)
                also = (*told.also, *beside)
                found[key] = phrase, told.model_copy(update={"also": also})
    return [
        Offer(phrase=phrase, words=told.words(circuit), entry=told)
        for phrase, told in list(found.values())[:MOST_OFFERED]
    ]


def _pieces(text: str) -> list[_Piece]:
    """The pieces of a sentence with what each says; when it is said once it holds for those beside."""
    plain = text.lower().replace("’", "'")
    for short, full in SHORT_FORMS.items():
        plain = re.sub(short, full, plain)
    pieces = [_Piece(one) for one in _TURN.split(plain) if one.strip()]
    for piece in pieces:
        hows = [how for how in BEHAVIOURS if _says(piece.text, HOW_SAID[how])]
        piece.remarks = [name for name in NAMES if _says(piece.text, REMARK_SAID[name])]
        if {"will_not_stop", "releases_late"} & set(piece.remarks) or "drifts" in hows:
            # That it does not stop, or hold, is not that it does not go.
            hows = [how for how in hows if how != "dead"]
        piece.hows = _fitting(hows)
        said = [when for when, words in WHEN_SAID.items() if _says(piece.text, words)]
        piece.when = None if "hot" in piece.remarks else next(iter(said), None)
    told = [piece.when for piece in pieces if piece.when]
    for piece in pieces:
        if piece.when is None and len(set(told)) == 1 and "as_usual" not in piece.hows:
            piece.when = told[0]
    return pieces


def _fitting(hows: Sequence[How]) -> list[How]:
    """Words that can be said of one move together: what goes wrong before what goes as usual."""
    wrong: list[How] = [how for how in hows if how != "as_usual"]
    together: list[How] = [how for how in wrong if how in TOGETHER]
    return together or wrong[:1] or list(hows[:1])


def _says(text: str, phrases: Sequence[str]) -> bool:
    words = text.split()
    return any(_within(words, phrase.split()) for phrase in phrases)


def _within(words: Sequence[str], phrase: Sequence[str]) -> bool:
    count = len(phrase)
    return any(
        all(_same(a, b) for a, b in zip(words[i : i + count], phrase, strict=True))
        for i in range(len(words) - count + 1)
    )


def _named(circuit: Circuit, text: str) -> list[tuple[Function, str]]:
    """Moves that a piece speaks of: those named, or all of a function that is."""
    words = [w for w in re.findall(r"[a-zäöüß']+", text) if w not in OF_NO_NAME]
    every = [(f, move) for f in circuit.functions for move in f.moves]
    if EVERYTHING & set(words) and not any(_speaks(words, f.label) for f in circuit.functions):
        return every
    found: list[tuple[Function, str]] = []
    for function in circuit.functions:
        called = {m: _speaks(words, f"{call.label} {m}") for m, call in function.moves.items()}
        if _speaks(words, f"{function.label} {function.id}"):
            found += [(function, m) for m, yes in called.items() if yes or not any(called.values())]
    if found:
        return found
    # A move that only one function has is named by itself: “it does not lift”.
    alone = [(f, m) for f, m in every if _speaks(words, f"{f.moves[m].label} {m}")]
    return alone if len({f.id for f, _ in alone}) == 1 else []


def _speaks(words: Sequence[str], name: str) -> bool:
    own = [w for w in re.findall(r"[a-zäöüß]+", name.lower()) if len(w) > 1 and w not in OF_NO_NAME]
    return any(_same(word, part) for word in words for part in own)


def _same(one: str, other: str) -> bool:
    """Whether two words are one: by their stems, or misspelt."""
    a, b = _stem(one), _stem(other)
    if a == b:
        return True
    if min(len(a), len(b)) < SHORT or a[0] != b[0]:
        return False
    return SequenceMatcher(None, a, b).ratio() >= CLOSE


def _stem(word: str) -> str:
    for ending in ENDINGS:
        if word.endswith(ending) and len(word) - len(ending) >= SHORT - 1:
            return word[: -len(ending)]
    return word
