"""How a function behaves, in the operator's words."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

import numpy as np
from pydantic import ValidationInfo, field_validator

from umweg.core.circuit.document import Circuit, MachineState, Text
from umweg.core.components.base import Array
from umweg.core.errors import ObservationError
from umweg.core.network.network import Indices
from umweg.core.observe.exhibits import Exhibits, Sight, Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.base import WARM, Answer, Asking, Observed, Proposal
from umweg.core.observe.kinds.remarks import (
    NAMES,
    REMARKS,
    Remark,
    Remarked,
)
from umweg.core.observe.moving import (
    OIL_C_OF_WHEN,
    When,
    behaviour_states,
    judged_in,
    moving_states,
    neutral_with_load,
    tried_in,
)
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import (
    STANDS_SHARE,
    How,
    Quantity,
    drift_of,
    from_scale,
    moved_net,
    speed_of,
    to_scale,
)
from umweg.core.observe.weights import CONFUSED_SHARE, Spread, Told, told

Against = Literal["itself", "document"]
"""What a word compares with: the machine itself while it was in order; or, where nobody has known it
like that (new, just bought, overhauled), what its document says."""
AGAINST_WORDS: dict[Against, str] = {
    "itself": "than it used to be",
    "document": "by its papers: nobody has known it in order",
}
BEHAVIOURS: tuple[How, ...] = get_args(How)
HOW_WORDS: dict[How, str] = {
    "as_usual": "as usual",
    "slow": "slow",
    "weak": "weak: moves light, stalls loaded",
    "dead": "dead",
    "reversed": "goes the other way",
    "drifts": "drifts when held",
}
MOVES_FROM = 0.02
"""Speed [mm/s, rpm] below which a function stands, whatever it is called to do."""
TOGETHER: tuple[How, ...] = ("slow", "weak", "drifts")
"""Words that one move can call for at the same time."""
WHEN_WORDS: dict[When, str] = {"cold": "cold oil", "warm": "warm oil", "hot": "hot oil"}
WEAK_BELOW = 0.45
"""Loaded speed, as a share of the light one, below which a function is “weak”."""
SLOW_BELOW = 0.85
"""Share of the healthy speed below which a function is “slow”."""
EYE, STANDING_EYE = 0.06, 0.05
"""How well an eye tells a speed from the usual one, and one that stands from one that creeps, as
shares of the usual speed."""
WORD_MIN = 3.0
NEIGHBOURS: dict[How, tuple[How, ...]] = {
    "as_usual": ("slow", "drifts"),
    "slow": ("as_usual", "weak"),
    "weak": ("slow", "dead"),
    "dead": ("weak", "reversed"),
    "reversed": ("dead",),
    "drifts": ("as_usual", "slow"),
}
"""What people say instead: the word next to the right one."""
NEXT_WORD_SHARE = 0.1
"""How often they do."""


def _heard() -> Array:
    """(said, true) probability of each word that is said for each that would be right."""
    heard = np.zeros((len(BEHAVIOURS), len(BEHAVIOURS)))
    for true, right in enumerate(BEHAVIOURS):
        heard[true, true] = 1.0 - NEXT_WORD_SHARE
        for word in NEIGHBOURS[right]:
            heard[BEHAVIOURS.index(word), true] += NEXT_WORD_SHARE / len(NEIGHBOURS[right])
    return heard


HEARD = _heard()
UNMODELLED_SAYS = 0.25
"""How often something that nobody modelled is told of by such a word."""
KEEP_CLEAR = "Nobody within reach of what moves, and nobody under what is raised."
REPEATED_SHARE = 0.3
"""How often somebody who drives a move for himself sees what he was told that he would."""
DRIFTS_FIRST = 0.25
"""How often somebody tells of the drift and not of the speed where both are wrong."""


class Behaviour(Observed):
    """How a function behaves, in the operator's words."""

    looked: ClassVar[bool] = False

    kind: Literal["behaviour"] = "behaviour"
    function: Text
    move: Text
    how: How
    also: tuple[How | Remark, ...] = ()
    """Further words for the same move: slow *and* weak *and* noisy is one complaint."""
    when: When = "warm"
    against: Against = "itself"
    told_before: How | None = None
    """What somebody else had told of the move, where who tests the machine tries it for himself."""

    @field_validator("also")
    @classmethod
    def _fit_together(
        cls, also: tuple[How | Remark, ...], info: ValidationInfo
    ) -> tuple[How | Remark, ...]:
        how = str(info.data.get("how"))
        told: list[str] = [how, *(word for word in also if word in BEHAVIOURS)]
        if len({how, *also}) != 1 + len(also):
            raise ValueError("a word is told twice")
        if len(told) > 1 and not set(told) <= set(TOGETHER):
            raise ValueError(f"only {', '.join(TOGETHER)} go together, not {' and '.join(told)}")
        return also

    @property
    def hows(self) -> tuple[How, ...]:
        """All its words that say how it moves."""
        return (self.how, *(word for word in BEHAVIOURS if word in self.also))

    @property
    def remarks(self) -> tuple[Remark, ...]:
        """The words beside them."""
        return tuple(word for word in NAMES if word in self.also)

    def topic(self) -> Hashable:
        """Which move of which function, and whether it is told or seen for oneself."""
        return self.kind, self.function, self.move, self.told_before is not None

    @property
    def shown_again_by(self) -> Hashable:
        """The same move, whoever tries it."""
        return self.kind, self.function, self.move

    @property
    def complains(self) -> bool:
        """It does not move as it should, or something else about it is told."""
        return self.how != "as_usual" or bool(self.also)

    @property
    def as_usual(self) -> bool | None:
        """As it should move, and nothing else told of it."""
        return not self.complains

    def check(self, suspects: Suspects) -> None:
        """The machine has this move."""
        check_behaviour(suspects.circuit, self.function, self.move)

    def words(self, circuit: Circuit) -> str:
        """Function, move, word and oil; who was told of it before, what."""
        check_behaviour(circuit, self.function, self.move)
        function = circuit.function(self.function)
        move = function.moves[self.move].label
        told = " and ".join(HOW_WORDS[how] for how in self.hows)
        beside = "".join(f", {REMARKS[word].words}" for word in self.remarks)
        before = "" if self.against == "itself" else f", {AGAINST_WORDS[self.against]}"
        if self.told_before is not None:
            before += f"; seen for oneself, told before: {HOW_WORDS[self.told_before]}"
        return f"{function.label} {move}: {told}{beside}, {WHEN_WORDS[self.when]}{before}"

    def weigh(self, exhibits: Exhibits, instruments: Sequence[Instrument]) -> Told:
        """Against the word that each candidate would call for."""
        del instruments
        check_behaviour(exhibits.suspects.circuit, self.function, self.move)
        spoken = Spoken(self.function, self.move, self.when, self.against)
        each = self._each(exhibits.seen(spoken))
        beside, beside_broad = self._beside(exhibits)
        together = beside + np.sum([one.log_likelihood for one in each], axis=0)
        broad = beside_broad + sum(one.log_broad for one in each)

        def again(predictor: Predictor, rows: Indices, away: Array, spread: Spread) -> Array:
            words = spoken.elsewhere(predictor, rows, away, spread)
            found: Array = np.sum([one.log_likelihood for one in self._each(words)], axis=0)
            return found + beside[rows]

        story = self.told_before is None
        return Told(self.id, together, broad, story=story, again=again)

    def _beside(self, exhibits: Exhibits) -> tuple[Array, float]:
        """(C,) log likelihood of the words beside how it moves, and what it is of what nobody
        modelled: that makes a sound as often as what does best of all that is."""
        found, broad = np.zeros(exhibits.suspects.population.count), 0.0
        for word in self.remarks:
            sight, row = Remarked.of(word, *self._move)
            said = exhibits.seen(sight)[row]
            found = found + np.log(said)
            broad += float(np.log(min(said.max(), UNMODELLED_SAYS)))
        return found, broad

    def _each(self, words: Array) -> list[Told]:
        """Evidence from each of its words, by (6, C) the word that would be right."""
        heard = HEARD
        if self.told_before is not None:
            words, heard = _after(words, self.told_before)
        # How it moves and whether it creeps are two things; slow and weak are one, told in two
        # words. Somebody who tells of both leaves open which of the two it is.
        facets = [[how for how in self.hows if (how == "drifts") == creeps] for creeps in (0, 1)]
        said = [
            heard[[BEHAVIOURS.index(how) for how in facet]].sum(axis=0) @ words
            for facet in facets
            if facet
        ]
        return [told(self.id, probability, len(BEHAVIOURS)) for probability in said]

    def solved_in(self, circuit: Circuit) -> Iterable[MachineState]:
        """Light, loaded and held."""
        check_behaviour(circuit, self.function, self.move)
        judged = judged_in(circuit, self.function, self.move, self.when)
        if self.remarks:
            judged.append(neutral_with_load(moving_states(circuit, *self._move)[-1]))
        return judged

    @property
    def _move(self) -> tuple[str, str, When]:
        return self.function, self.move, self.when

    def witnessed(
        self, machine: HiddenMachine, instrument: Instrument | None = None
    ) -> "Behaviour":
        """The word of somebody who sees the function move light, loaded and held."""
        del instrument
        how = machine.said(how_it_behaves(machine, self.function, self.move, self.when))
        return self.model_copy(update={"how": how})

    @classmethod
    def sights(cls, circuit: Circuit) -> Iterable[tuple[str, Sight, Sequence[MachineState]]]:
        """Whether anything is noticed, which every belief begins with; then every move in every
        oil, warm oil first."""
        yield "noticed", NOTICED, ()
        named = {s.model_dump_json() for s in circuit.states.values()}
        for when in sorted(get_args(When), key=lambda w: w != "warm"):
            for function in circuit.functions:
                for move in function.moves:
                    states = behaviour_states(circuit, function.id, move, when)
                    own = [s for s in states if s.model_dump_json() not in named]
                    spoken = Spoken(function.id, move, when)
                    yield f"{when}/{function.id}", spoken, () if when == "warm" else own
        for when in sorted(get_args(When), key=lambda w: w != "warm"):
            for function in circuit.functions:
                for move in function.moves:
                    moving = moving_states(circuit, function.id, move, when)
                    own = [neutral_with_load(moving[-1]), *(moving if when != "warm" else ())]
                    for in_time in (False, True):
                        remarked = Remarked(function.id, move, when, in_time)
                        yield f"remarks/{when}/{function.id}", remarked, own

    @classmethod
    def proposals(cls, asking: Asking) -> Iterable[Proposal]:
        """Every move that there is; to be tried for oneself where somebody told of it."""
        told = {
            (o.function, o.move): o.how
            for o in asking.observed
            if isinstance(o, Behaviour) and o.when == "warm" and o.told_before is None
        }
        against: Against = next(
            (o.against for o in reversed(asking.observed) if isinstance(o, Behaviour)), "itself"
        )
        for function in asking.circuit.functions:
            for name, move in function.moves.items():
                words = asking.exhibits.seen(Spoken(function.id, name, "warm", against))
                before = told.get((function.id, name))
                if before is None:
                    label, heard = f"{function.label} {move.label}", HEARD
                else:
                    label = f"{function.label} {move.label}: try it for yourself"
                    words, heard = _after(words, before)
                yield Proposal(
                    cls.model_fields["kind"].default,
                    f"{function.id}.{name}",
                    label,
                    "",
                    WARM,
                    WORD_MIN,
                    tuple(
                        Answer(
                            HOW_WORDS[how],
                            cls(
                                id="new",
                                function=function.id,
                                move=name,
                                how=how,
                                against=against,
                                told_before=before,
                            ),
                        )
                        for how in BEHAVIOURS
                    ),
                    heard @ words,
                    cautions=cautions_of(asking.circuit, function.id, name),
                )


def cautions_of(circuit: Circuit, function_id: str, move: str) -> tuple[str, ...]:
    """What the circuit's states say that make this move alone with warm oil, nothing undone."""
    found = [
        words
        for state in circuit.states.values()
        if state.moves == {function_id: move} and not state.interventions
        if state.engine != "off" and state.oil_c <= OIL_C_OF_WHEN["warm"]
        for words in state.cautions
    ]
    return tuple(dict.fromkeys(found)) or (KEEP_CLEAR,)


def told_of(observed: Iterable[Observed], how: How) -> set[str]:
    """Functions of which a move was last said to be like that."""
    last = {(o.function, o.move): o for o in observed if isinstance(o, Behaviour)}
    return {o.function for o in last.values() if how in o.hows}


def _after(words: Array, before: How) -> tuple[Array, Array]:
    """Once a word was told of a move: (true, C) what would be right, and (said, true) what is said
    by who sees it for himself.

    Both have the same move of the same machine before them: what is right is right for both.
    """
    first = BEHAVIOURS.index(before)
    sound = (1.0 - CONFUSED_SHARE) * HEARD[first] + CONFUSED_SHARE / len(BEHAVIOURS)
    right = words * sound[:, None]
    heard = (1.0 - REPEATED_SHARE) * HEARD
    heard[first] += REPEATED_SHARE
    return right / np.maximum(right.sum(axis=0), 1e-12), heard


@dataclass(frozen=True)
class Spoken:
    """The word for one move in cold, warm or hot oil."""

    function: str
    move: str
    when: str
    against: Against = "itself"
    tried: tuple[tuple[str, float], ...] = ()
    """Commands that are given beside the move, to see what happens."""

    @property
    def name(self) -> str:
        """Stable name."""
        told = f"words/{self.function}/{self.move}/{self.when}"
        tried = "".join(f"/{command}={value:g}" for command, value in self.tried)
        return (told if self.against == "itself" else f"{told}/{self.against}") + tried

    def states(self, circuit: Circuit) -> list[MachineState]:
        """Light, loaded and held, with what is tried beside the move."""
        *moving, held = behaviour_states(circuit, self.function, self.move, self.when)
        return [*(tried_in(s, self.tried) for s in moving), held]

    def probability(self, predictor: Predictor) -> Array:
        """(6, C) probability of each word of ``BEHAVIOURS``, from solved speeds and drift.

        Light speed below an eighth of the healthy one is “dead”, or “reversed” where the function
        goes the other way, light or loaded; light but not loaded is “weak”; below 85 % is “slow”;
        a held load that moves by 10 mm/min more than it did “drifts”. The limits are soft, by the spread of
        the prediction and of the operator's eye. Shares are of what this machine itself did in
        order: what is not known of it counts only as far as it changes that share; or of what is
        documented, where nobody has known it in order.
        """
        circuit = predictor.circuit
        *moving, held = self.states(circuit)
        can_drift = not self.tried and "held" in circuit.function(self.function).loads
        predictor.prepare([*moving, held] if can_drift else moving)
        speed = speed_of(circuit, self.function)
        net = predictor.network.net_index[moved_net(circuit, self.function)]
        ratios: list[Array] = []
        spreads: list[Array] = []
        for state in moving:
            table = predictor[state]
            row = table.row(speed)
            healthy = float(table.mean[row, 0])
            if healthy < MOVES_FROM:
                # Pressed against its stop it does not move in good order either: nobody calls it slow.
                continue
            along = np.sign(table.solution.across[net] * table.healthy[net])
            ratios.append(along * table.mean[row] / healthy)
            change = table.slope[row]
            if self.against == "itself":
                # Then as now it has the same unknowns: what they do to both is no change.
                change = change - change[:, :1] * (table.mean[row] / healthy)
            spread = np.sqrt((change**2).sum(axis=0)) / healthy
            spreads.append(np.minimum(spread, 0.3))
        drifts = self._drifts(predictor, held) if can_drift else 0.0
        count = predictor.population.count
        return self._words(predictor, moving, ratios, spreads, drifts, count)

    def _words(
        self,
        predictor: Predictor,
        moving: Sequence[MachineState],
        ratios: Sequence[Array],
        spreads: Sequence[Array],
        drifts: Array | float,
        count: int,
    ) -> Array:
        """(6, L) from the shares of the usual speed, light to loaded, and how far those are off."""
        if not ratios:
            ratios, spreads = [np.ones(count)], [np.zeros(count)]
        net = predictor.network.net_index[moved_net(predictor.circuit, self.function)]
        light, loaded = ratios[0], ratios[-1]
        slower, stopped = np.hypot(spreads[-1], EYE), np.hypot(spreads[0], STANDING_EYE)
        drifts = drifts + 0.0 * light
        returns = goes_back_by_itself(predictor, moving[0], net)
        stands = normal_cdf((STANDS_SHARE - light) / stopped)
        # Spring or weight take it back whatever the lever does: nobody calls that the other way.
        back = (
            0.0 * light
            if returns
            else normal_cdf((-STANDS_SHARE - np.minimum(light, loaded)) / stopped)
        )
        weak = normal_cdf((WEAK_BELOW - loaded / np.maximum(light, 0.05)) / slower)
        slow = normal_cdf((SLOW_BELOW - np.minimum(light, loaded)) / slower)
        words: dict[How, Array] = {
            "as_usual": (1.0 - stands) * (1.0 - weak) * (1.0 - slow) * (1.0 - drifts),
            "slow": (1.0 - stands) * (1.0 - weak) * slow,
            "weak": (1.0 - stands) * weak,
            "dead": stands * (1.0 - back),
            "reversed": stands * back,
        }
        # Who moves wrong is told of before who creeps; a slow one that creeps may be called either.
        rest = 1.0 - sum(words.values())
        for word in ("slow", "weak", "dead"):
            part = DRIFTS_FIRST * drifts * words[word]
            words[word] = words[word] - part
            rest = rest + part
        words["drifts"] = np.maximum(rest, 0.0)
        result: Array = np.stack([words[word] for word in BEHAVIOURS])
        return result

    def elsewhere(self, predictor: Predictor, rows: Indices, away: Array, spread: Spread) -> Array:
        """(6, L) the same of some candidates whose unknowns are so far off (U, L); against what each
        did in order with the same unknowns."""
        circuit = predictor.circuit
        *moving, held = self.states(circuit)
        speed = speed_of(circuit, self.function)
        net = predictor.network.net_index[moved_net(circuit, self.function)]
        both = np.concatenate([rows, np.zeros_like(rows)])
        twice = np.concatenate([away, away], axis=1)
        count = len(rows)
        ratios, spreads = [], []
        for state in moving:
            table = predictor[state]
            row = table.row(speed)
            healthy = float(table.mean[row, 0])
            if healthy < MOVES_FROM:
                continue
            found = predictor.elsewhere(state, both, twice, [speed], sloped=0)
            signed = found.mean[0] * np.sign(found.solution.across[net] * table.healthy[net])
            usual = np.full(count, healthy)
            if self.against == "itself":
                usual = np.abs(signed[count:])
            # Who did not move this load in order either is called nothing for it.
            moves = usual >= MOVES_FROM
            fine = found.solution.converged[:count] & found.solution.converged[count:]
            nominal = np.sign(table.solution.across[net] * table.healthy[net])[rows]
            as_was = nominal * table.mean[row, rows] / healthy
            now = np.where(moves, signed[:count] / np.maximum(usual, MOVES_FROM), 1.0)
            ratio = np.where(fine, now, as_was)
            change = table.slope.of(row, rows)
            if self.against == "itself":
                change = change - table.slope[row][:, :1] * (table.mean[row, rows] / healthy)
            ratios.append(ratio)
            spreads.append(np.minimum(spread(ratio, change / healthy), 0.3))
        drifts: Array | float = 0.0
        if not self.tried and "held" in circuit.function(self.function).loads:
            drifts = self._drifts(predictor, held)[rows]
        return self._words(predictor, moving, ratios, spreads, drifts, count)

    def _drifts(self, predictor: Predictor, held: MachineState) -> Array:
        """(C,) probability that an operator sees a held function move by itself: by so much more
        than it did in order, where somebody has known it like that."""
        table = predictor[held]
        drift, limit = drift_of(predictor.circuit, self.function)
        row = table.row(drift)
        change, mean = table.slope[row], np.abs(table.mean[row])
        if self.against == "itself":
            change = change - change[:, :1]
            more = from_scale(drift, mean) - from_scale(drift, mean[:1])
            mean = to_scale(drift, np.maximum(more, 0.0))
        spread = np.hypot(np.sqrt((change**2).sum(axis=0)), 0.3)
        result: Array = normal_cdf((mean - float(to_scale(drift, np.asarray(limit)))) / spread)
        return result


@dataclass(frozen=True)
class Noticed:
    """Whether an operator finds anything that is not as usual, with warm oil: yes or no."""

    name: str = "noticed"

    def probability(self, predictor: Predictor) -> Array:
        """(2, C) probability that something is noticed, and that nothing is."""
        moves = [(f.id, m) for f in predictor.circuit.functions for m in f.moves]
        # In one batch: lanes stay full, and the machines are laid out once.
        predictor.prepare(
            state
            for function, move in moves
            for state in judged_in(predictor.circuit, function, move, "warm")
        )
        usual = np.ones(predictor.population.count)
        for function, move in moves:
            words = Spoken(function, move, "warm").probability(predictor)
            usual = usual * words[BEHAVIOURS.index("as_usual")]
        result: Array = np.stack([1.0 - usual, usual])
        return result


NOTICED = Noticed()


def goes_back_by_itself(predictor: Predictor, moving: MachineState, net: int) -> bool:
    """Does the healthy function go back, spring or weight, when its lever is let go."""
    # One machine is asked, not every candidate.
    let_go = predictor.healthy(neutral_with_load(moving))[net]
    called = predictor[moving].healthy[net]
    return bool(let_go * called < 0.0 and abs(let_go) > STANDS_SHARE * abs(called))


def how_it_behaves(
    machine: HiddenMachine,
    function_id: str,
    move: str,
    when: When,
    tried: tuple[tuple[str, float], ...] = (),
) -> How:
    """How an operator would say that a function of a simulated machine behaves: against how it was
    while nothing was wrong with it; with what is tried beside the move.

    Raises
    ------
    SolveError : the machine has no steady state there.
    """
    circuit = machine.circuit
    *moving, held = Spoken(function_id, move, when, tried=tried).states(circuit)
    speed, usual = speed_of(circuit, function_id), machine.in_order
    ratios = [
        machine.signed(speed, s) / sound
        for s in moving
        if abs(sound := usual.signed(speed, s)) >= MOVES_FROM
    ] or [1.0]
    light, loaded = ratios[0], ratios[-1]
    if light < STANDS_SHARE:
        other_way = min(light, loaded) < -STANDS_SHARE
        return "reversed" if other_way and not _returns(usual, speed, moving[0]) else "dead"
    if loaded < WEAK_BELOW * light:
        return "weak"
    if min(light, loaded) < SLOW_BELOW:
        return "slow"
    if tried or "held" not in circuit.function(function_id).loads:
        return "as_usual"
    drift, limit = drift_of(circuit, function_id)
    more = machine.value(drift, held) - usual.value(drift, held)
    return "drifts" if more > limit else "as_usual"


def _returns(usual: HiddenMachine, speed: Quantity, moving: MachineState) -> bool:
    called = usual.signed(speed, moving)
    let_go = usual.signed(speed, neutral_with_load(moving))
    return let_go * called < 0.0 and abs(let_go) > STANDS_SHARE * abs(called)


def check_behaviour(circuit: Circuit, function_id: str, move: str) -> None:
    """Refuse a move that this machine does not have.

    Raises
    ------
    ObservationError : names the moves that there are.
    """
    if not any(f.id == function_id and move in f.moves for f in circuit.functions):
        known = ", ".join(f"{f.id}.{m}" for f in circuit.functions for m in f.moves)
        raise ObservationError(
            f"there is no function “{function_id}.{move}”; the machine has {known}"
        )
