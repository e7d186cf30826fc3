"""What could be made otherwise so that a row would have run: gathered from
what is in its way, with a first guess from what was recorded. Whether it helps
is for playing to say.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.branching.actions import action_text
from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import RUNS, ChildOrder, Family
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.language.phrases import PhrasePieceKind, pieces
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    KeyTerm,
    NumberTerm,
    SenseCall,
    atoms,
    source,
    walk,
)
from umbrant.catalog.params import ParamType, Quantity
from umbrant.catalog.renaming import extends
from umbrant.model.behaviors import BINDS, Key, Row, Sharing, targets_of
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.kind_ids import MACHINE, ON_EVENT
from umbrant.model.parts import GUARD, ROW, part_name
from umbrant.model.staging import CueAction, RaiseEvent, SetKey
from umbrant.model.values import KeyRef, KeyType
from umbrant.nearest.places import (
    Arrangement,
    BodyNumberPlace,
    ConditionNumber,
    CueTime,
    DoneAtTick,
    KeyAtTick,
    KeyDefault,
    MovedUp,
    NumberPlace,
    ParamNumber,
    TakeOverWatch,
    Unmuted,
)
from umbrant.reasons.condition_report import ConditionReport
from umbrant.reasons.why import Explainer
from umbrant.take.record import RowState

WEIGHT = "weight"
NUMBERS = (ParamType.NUMBER, ParamType.SPREAD)
"""The types of parameters that hold a number."""
EVENT_SENSE = "event"
MOST_CUES = 3
"""How many cues' times are tried: those nearest to the tick."""
CUE_SHIFTS_S = (-1.0, 1.0, -5.0, 5.0)
"""By how much a cue's time is shifted."""
BODY_FIELDS = (
    ("sight_m", "sight", "m"),
    ("cone_deg", "field of view", "°"),
    ("walk_m_s", "walking speed", "m/s"),
    ("run_m_s", "running speed", "m/s"),
)
"""The numbers of a body that are tried: the field, what it is called, the
unit.
"""
FACTORS = (0.8, 1.25, 0.5, 2.0)
"""What a number is multiplied with where nothing says what it would have to
be.
"""


@dataclass(frozen=True)
class NumberCandidate:
    """A number that could be another one, from `low` to `high`. `guess` is
    what it would have to be by what was recorded; None where nothing says.
    """

    place: NumberPlace
    was: float
    title: str
    """Where it stands, in words: `1.1’s guard`."""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    guess: float | None = None

    def tries(self) -> list[float]:
        """Values to try where nothing says what it would have to be, on the
        grid of what is printed.
        """
        if isinstance(self.place, CueTime):
            return [round(self.was + each, 2) for each in CUE_SHIFTS_S]
        if self.was:
            found = [self.was * each for each in FACTORS]
        else:
            found = [0.1, 1.0, 10.0]
        return [round(each, 2 if abs(each) <= 1 else 1) for each in found]

    def distance(self) -> float:
        """How large the change is thought to be, as a share of what the number
        is.
        """
        if self.guess is None:
            return 1.0
        return abs(self.guess - self.was) / max(
            abs(self.was), abs(self.guess), 1e-9
        )


@dataclass(frozen=True)
class ArrangementCandidate:
    """Something that could be arranged otherwise."""

    place: Arrangement
    title: str


Candidate = NumberCandidate | ArrangementCandidate


class ChangeCandidates:
    """What is in the way of a row at a tick. Raises KeyError for an unknown
    row.
    """

    def __init__(self, explainer: Explainer, tick: int, row_id: str) -> None:
        self._subject = explainer
        self._tick = tick
        self._row_id = row_id
        self._behavior = explainer.member.behavior or ""

    def found(self) -> list[Candidate]:
        """All that could be changed, the most promising first: numbers that
        need little change, then arrangements, then numbers of which nothing is
        known.
        """
        numbers: dict[object, NumberCandidate] = {}
        arranged: dict[object, ArrangementCandidate] = {}
        for row_id in self.in_the_way():
            for each in self._of_row(row_id):
                if isinstance(each, NumberCandidate):
                    # The row nearest to what is in the way comes first, and
                    # with it what it guesses.
                    numbers.setdefault(each.place, each)
                else:
                    arranged.setdefault(each.place, each)
        for each in (*self._of_body(), *self._of_setting()):
            numbers.setdefault(each.place, each)
        guessed = [each for each in numbers.values() if each.guess is not None]
        unknown = [each for each in numbers.values() if each.guess is None]
        return [
            *sorted(guessed, key=NumberCandidate.distance),
            *arranged.values(),
            *unknown,
        ]

    def in_the_way(self) -> list[str]:
        """The rows that keep the row from running: the outermost around it
        that does not run, and what that waits for.
        """
        subject, tick = self._subject, self._tick
        for above in subject.outline.path(self._row_id):
            if subject.state_of(above, tick) is not RowState.RUNNING:
                return [above, *self._waited_for(above)]
        return [self._row_id]

    def _waited_for(self, row_id: str) -> Iterator[str]:
        """The transitions that lead to a state, or the sibling that runs in a
        row's place.
        """
        subject = self._subject
        if subject.is_state(row_id):
            yield from self._transitions_to(row_id)
            return
        parent = subject.outline.parent[row_id]
        if parent is None or subject.order(parent) is not ChildOrder.WRITTEN:
            return
        siblings = subject.outline.children[parent]
        # Only what comes before it in the order has it wait.
        for each in siblings[: siblings.index(row_id)]:
            if subject.record.row(each).span_at(self._tick) is not None:
                yield each

    def _transitions_to(self, state: str) -> Iterator[str]:
        subject = self._subject
        machine = subject.behavior.innermost(state, MACHINE)
        for each in subject.outline.within(machine) if machine else ():
            if subject.family(each) is not Family.TRANSITION:
                continue
            row, source = (
                subject.behavior.row(each),
                subject.outline.parent[each],
            )
            leads = state in (
                subject.own_id(each, target) for target in targets_of(row)
            )
            if (
                leads
                and source
                and subject.state_of(source, self._tick) is RowState.RUNNING
            ):
                yield each

    # of one row

    def _of_row(self, row_id: str) -> Iterator[Candidate]:
        row = self._subject.behavior.row(row_id)
        number = self._subject.outline.number[row_id]
        if row.muted:
            place = Unmuted(behavior=self._behavior, row=row_id)
            yield ArrangementCandidate(place, f"{number} not muted")
        yield from self._of_condition(row_id, GUARD, "", f"{number}’s guard")
        yield from self._of_params(row_id)
        for index, decorator in enumerate(row.decorators):
            part = part_name("decorator", index)
            title = f"{number}’s {decorator.kind.replace('_', ' ')}"
            yield from self._of_part(row_id, part, decorator.kind, title)
        yield from self._of_arrangement(row_id)

    def _of_params(self, row_id: str) -> Iterator[Candidate]:
        row = self._subject.behavior.row(row_id)
        families = (*RUNS, Family.TRANSITION, Family.OPTION)
        kind = self._subject.catalog.get(row.kind, *families)
        number = self._subject.outline.number[row_id]
        for param in kind.params if kind else ():
            if param.type is ParamType.CONDITION:
                yield from self._of_condition(row_id, ROW, param.name, number)
            elif param.type in NUMBERS:
                yield from self._of_param(
                    row_id, ROW, param.name, f"{number}’s {param.label}"
                )
            elif param.type is ParamType.EVENT and row.kind == ON_EVENT:
                yield from self._raised(row.args.get(param.name))

    def _of_part(
        self, row_id: str, part: str, kind: str, title: str
    ) -> Iterator[Candidate]:
        found = self._subject.catalog.get(kind, Family.DECORATOR)
        for param in found.params if found else ():
            if param.type is ParamType.CONDITION:
                yield from self._of_condition(row_id, part, param.name, title)
            elif param.type in NUMBERS:
                yield from self._of_param(row_id, part, param.name, title)

    def _of_param(
        self, row_id: str, part: str, name: str, title: str
    ) -> Iterator[NumberCandidate]:
        """A number of a row or a decorator, unless it comes from a key."""
        row = self._subject.behavior.row(row_id)
        index = int(part.partition(" ")[2] or 0)
        if part != ROW:
            args = row.decorators[index].args
        else:
            args = row.args
        kind = self._subject.catalog.get(
            row.decorators[index].kind if part != ROW else row.kind,
            *(*RUNS, Family.TRANSITION, Family.OPTION, Family.DECORATOR),
        )
        param = None
        if kind:
            param = kind.param(name)
        value = args.get(name, param.default if param else None)
        # What comes from a key is changed at the key, which is a candidate of
        # its own.
        if (
            param is None
            or isinstance(value, bool)
            or not isinstance(value, int | float)
        ):
            return
        place = ParamNumber(
            behavior=self._behavior,
            row=row_id,
            part=part,
            param=name,
            default=float(value),
        )
        quantity = param.quantity
        if part != ROW:
            guess = self._guess_of(row_id)
        else:
            guess = self._winning_weight(row_id, name)
        yield NumberCandidate(
            place,
            float(value),
            title,
            quantity.unit,
            quantity.low,
            quantity.high,
            guess,
        )

    def _winning_weight(self, row_id: str, param: str) -> float | None:
        """The weight with which an option would have scored as much as it had
        to exceed.
        """
        subject = self._subject
        parent = subject.outline.parent[row_id]
        if (
            param != WEIGHT
            or parent is None
            or subject.family(row_id) is not Family.OPTION
        ):
            return None
        scores = subject.scores(parent)
        decision = scores.decision(scores.decided_at(self._tick))
        if decision is not None:
            bids = decision.bids
        else:
            bids = ()
        bid = next((each for each in bids if each.row.id == row_id), None)
        if decision is None or bid is None or bid.score <= 0:
            return None
        return bid.weight * (decision.to_exceed(bid) - bid.bonus) / bid.score

    def _guess_of(self, row_id: str) -> float | None:
        """What a cooldown or a time would have to be, from the cause of the
        refusal at the tick.
        """
        refusal = self._subject.record.row(row_id).refusal_at(self._tick)
        cause = None
        if refusal is not None:
            cause = refusal.cause
        now_s = self._subject.header.seconds(self._tick)
        if cause is None:
            return None
        since_s = cause.facts.get("since_s")
        if cause.kind == "cooling" and isinstance(since_s, int | float):
            return now_s - since_s
        return None

    # conditions

    def _of_condition(
        self, row_id: str, part: str, param: str, title: str
    ) -> Iterator[Candidate]:
        """The numbers and the keys of what decided a condition when it was
        last evaluated.
        """
        report = self._subject.report_on(row_id, part)
        if report is None:
            return
        quantities = {
            each.span: each.quantity
            for each in pieces(report.tree, self._subject.catalog)
            if each.kind is PhrasePieceKind.NUMBER
        }
        terms = sorted(
            (
                each
                for each in walk(report.tree)
                if isinstance(each, NumberTerm)
            ),
            key=lambda each: each.span,
        )
        for atom, met in self._in_doubt(report):
            for index, term in enumerate(terms):
                if not _is_in(term, atom):
                    continue
                quantity = quantities.get(term.span, Quantity())
                place = ConditionNumber(
                    behavior=self._behavior,
                    row=row_id,
                    part=part,
                    param=param,
                    index=index,
                )
                yield NumberCandidate(
                    place,
                    term.value,
                    title,
                    quantity.unit,
                    quantity.low,
                    quantity.high,
                    _other_side(atom, term, met),
                )
            yield from self._of_keys(row_id, atom, met)
            yield from self._done_for(row_id, atom)
            yield from self._of_sight(atom, met)

    def _in_doubt(
        self, report: ConditionReport
    ) -> Iterator[tuple[ConditionTree, AtomResult]]:
        """What decided a condition, and what was not evaluated any more after
        that, as far as it only compares a key with a number.
        """
        decisive = report.deciding(self._tick, held=False)
        yield from ((atom, met) for _, atom, met in decisive)
        if not decisive:
            return
        for index, atom in enumerate(atoms(report.tree)):
            before = report.agent.row(report.row_id).found_at(
                report.part, index, self._tick
            )
            if before is None and isinstance(atom, Comparison):
                left, right = (
                    self._side(atom.left, report),
                    self._side(atom.right, report),
                )
                if left is not None and right is not None:
                    yield atom, AtomResult(None, left, right)

    def _side(
        self, tree: ConditionTree, report: ConditionReport
    ) -> float | None:
        """A side of a comparison that is a number or a key with a number, at
        the tick.
        """
        if isinstance(tree, NumberTerm):
            return tree.value
        if not isinstance(tree, KeyTerm):
            return None
        changes = report.agent.keys.get(report.actual.get(tree.key, tree.key))
        written = None
        if changes is not None:
            written = changes.at(self._tick)
        value = None
        if written is not None:
            value = written.value
        if isinstance(value, int | float):
            return float(value)
        return None

    def _of_keys(
        self, row_id: str, atom: ConditionTree, met: AtomResult
    ) -> Iterator[NumberCandidate]:
        """A key that is compared with a number: what it would have to be at
        the tick.
        """
        if not isinstance(atom, Comparison):
            return
        for key, side, other in (
            (atom.left, met.left, met.right),
            (atom.right, met.right, met.left),
        ):
            if not isinstance(key, KeyTerm) or not isinstance(
                side, int | float
            ):
                continue
            if isinstance(other, int | float):
                yield from self._of_key(
                    row_id, key.key, float(side), float(other)
                )

    def _of_key(
        self, row_id: str, name: str, was: float, wanted: float
    ) -> Iterator[NumberCandidate]:
        """What a key could be at the tick; of a key inside a used behavior
        what it is bound to, or what it begins with.
        """
        found = self._key_at(row_id, name, was)
        if found is not None:
            declared = self._declared(name)
            low, high = (
                (declared.low, declared.high) if declared else (None, None)
            )
            title = (
                f"{name} at {self._subject.header.seconds(self._tick):.2f} s"
            )
            yield NumberCandidate(found, was, title, "", low, high, wanted)
        user, inside, _ = row_id.rpartition("/")
        if not inside:
            return
        row = self._subject.behavior.row(user)
        bound = row.binds.get(name)
        if isinstance(bound, KeyRef):
            # The same key under the name that the using behavior has for it.
            yield from self._of_key(user, bound.key, was, wanted)
        elif isinstance(bound, int | float) and not isinstance(bound, bool):
            place = ParamNumber(
                behavior=self._behavior, row=user, part=BINDS, param=name
            )
            title = f"{self._subject.outline.number[user]}’s {name}"
            yield NumberCandidate(
                place, float(bound), title, "", None, None, wanted
            )
        else:
            yield from self._of_inner_default(row, name, wanted)

    def _of_inner_default(
        self, user: Row, name: str, wanted: float
    ) -> Iterator[NumberCandidate]:
        project = self._subject.header.project
        used = project.find_behavior(str(user.args.get(BEHAVIOR)))
        key = None
        if used is not None:
            key = project.keys_of(used).get(name)
        if (
            used is None
            or key is None
            or key.formula
            or not isinstance(key.default, int | float)
        ):
            return
        boards = (each for each in project.blackboards if name in each.by_name)
        own = (
            each.name
            for each in boards
            if extends(project, used.blackboard, each.name)
        )
        board = next(own, "")
        if board and not isinstance(key.default, bool):
            place = KeyDefault(board=board, key=name)
            title = f"{name} at the start"
            default = float(key.default)
            yield NumberCandidate(
                place, default, title, "", key.low, key.high, wanted
            )

    def _done_for(
        self, row_id: str, atom: ConditionTree
    ) -> Iterator[ArrangementCandidate]:
        """What could be done at the tick for a question that is no comparison:
        a key that is yes or no turned round, an event raised.
        """
        if isinstance(atom, KeyTerm):
            declared = self._declared(atom.key)
            found = self._key_at(row_id, atom.key, 0.0)
            if (
                found is not None
                and declared is not None
                and declared.type is KeyType.YES_NO
            ):
                now = self._subject.record.keys.get(atom.key)
                written = None
                if now is not None:
                    written = now.at(self._tick)
                value = not (written and written.value)
                yield self._done(
                    SetKey(sets=atom.key, of=found.of, value=value)
                )
        elif isinstance(atom, SenseCall) and atom.sense == EVENT_SENSE:
            yield from self._raised(
                next((source(arg).strip("'") for arg in atom.args), "")
            )

    def _raised(self, event: object) -> Iterator[ArrangementCandidate]:
        known = [
            each.name
            for each in self._subject.header.project.event_list.events
        ]
        if isinstance(event, str) and event in known:
            yield self._done(
                RaiseEvent(raises=event, to=self._subject.member.name)
            )

    def _done(self, action: CueAction) -> ArrangementCandidate:
        header = self._subject.header
        place = DoneAtTick(
            scenario=header.scenario, tick=self._tick, does=action
        )
        at_s = header.seconds(self._tick)
        return ArrangementCandidate(
            place, f"{action_text(action)} at {at_s:.2f} s"
        )

    def _key_at(self, row_id: str, name: str, was: float) -> KeyAtTick | None:
        declared = self._declared(name)
        # A key inside a behavior that is used has no name that a cue could
        # give it.
        if declared is None or declared.formula or "/" in row_id:
            return None
        if declared.scope is Sharing.WORLD:
            of = None
        else:
            of = self._subject.member.name
        scenario = self._subject.header.scenario
        return KeyAtTick(
            scenario=scenario, tick=self._tick, key=name, of=of, was=was
        )

    def _declared(self, name: str) -> Key | None:
        project = self._subject.header.project
        return project.keys_of_member(self._subject.member).get(name)

    def _of_sight(
        self, atom: ConditionTree, met: AtomResult
    ) -> Iterator[NumberCandidate]:
        """How far the body sees or hears, where a sense says that something is
        too far away.
        """
        cause = met.cause
        far = None
        if cause is not None:
            far = cause.facts.get("distance_m")
        member = self._subject.member
        if (
            isinstance(atom, SenseCall)
            and cause is not None
            and cause.kind == "outside_cone"
        ):
            yield from self._of_cone(cause)
        if not isinstance(atom, SenseCall) or not isinstance(far, int | float):
            return
        if member.name not in [
            each.name for each in self._subject.header.played.cast
        ]:
            return
        for field, title in (("sight_m", "sight"), ("hearing_m", "hearing")):
            range_m = getattr(member.body, field)
            if range_m < far:
                scenario = self._subject.header.scenario
                place = BodyNumberPlace(
                    scenario=scenario, member=member.name, field=field
                )
                yield NumberCandidate(
                    place,
                    range_m,
                    f"{self._subject.title}’s {title}",
                    "m",
                    0.0,
                    None,
                    float(far),
                )

    def _of_cone(self, cause: Cause) -> Iterator[NumberCandidate]:
        """How wide the body sees, where something is beside its cone."""
        off = cause.facts.get("off_deg")
        member = self._subject.member
        if isinstance(off, int | float):
            scenario, title = (
                self._subject.header.scenario,
                self._subject.title,
            )
            place = BodyNumberPlace(
                scenario=scenario, member=member.name, field="cone_deg"
            )
            was, wide = member.body.cone_deg, 2.0 * float(off)
            yield NumberCandidate(
                place, was, f"{title}’s field of view", "°", 0.01, 360.0, wide
            )

    # the order of rows, and the setting

    def _of_arrangement(self, row_id: str) -> Iterator[ArrangementCandidate]:
        subject, number = self._subject, self._subject.outline.number[row_id]
        guard = subject.behavior.row(row_id).guard
        if guard is not None and not guard.watch.take_over:
            place = TakeOverWatch(behavior=self._behavior, row=row_id)
            yield ArrangementCandidate(
                place, f"{number}’s guard watched for a take-over"
            )
        parent = subject.outline.parent[row_id]
        if parent is not None:
            siblings = subject.outline.children[parent]
        else:
            siblings = ()
        if row_id in siblings:
            before = siblings[: siblings.index(row_id)]
        else:
            before = ()
        running = [
            each
            for each in before
            if subject.record.row(each).span_at(self._tick)
        ]
        if running and subject.family(row_id) in RUNS:
            steps = len(before) - before.index(running[0])
            moved = MovedUp(behavior=self._behavior, row=row_id, steps=steps)
            first = subject.outline.number[running[0]]
            yield ArrangementCandidate(moved, f"{number} tried before {first}")

    def _of_body(self) -> Iterator[NumberCandidate]:
        """How far the body sees and how fast it goes."""
        member, header = self._subject.member, self._subject.header
        if member.name not in [each.name for each in header.played.cast]:
            return
        for field, title, unit in BODY_FIELDS:
            place = BodyNumberPlace(
                scenario=header.scenario, member=member.name, field=field
            )
            was = float(getattr(member.body, field))
            high = None
            if unit == "°":
                high = 360.0
            yield NumberCandidate(
                place,
                was,
                f"{self._subject.title}’s {title}",
                unit,
                0.01,
                high,
            )

    def _of_setting(self) -> Iterator[NumberCandidate]:
        """The times of the cues around the tick."""
        header = self._subject.header
        cues = [
            (abs(cue.at_s - header.seconds(self._tick)), index, cue.at_s)
            for index, cue in enumerate(header.played.cues)
            if cue.at_s is not None and not cue.when
        ]
        for _, index, at_s in sorted(cues)[:MOST_CUES]:
            place = CueTime(scenario=header.scenario, index=index)
            title = f"the time of cue {index + 1}"
            yield NumberCandidate(
                place, at_s, title, "s", 0.0, header.seconds(self._tick)
            )


def _is_in(term: NumberTerm, atom: ConditionTree) -> bool:
    return any(each is term for each in walk(atom))


def _other_side(
    atom: ConditionTree, term: NumberTerm, met: AtomResult
) -> float | None:
    """What a number in an atom was compared with: the other side, or the
    number behind a sense.
    """
    found: object = None
    if isinstance(atom, Comparison) and term in (atom.left, atom.right):
        if term is atom.left:
            found = met.right
        else:
            found = met.left
    elif isinstance(atom, SenseCall):
        if met.cause is not None:
            found = _measured(met.cause)
        else:
            found = met.left
    if isinstance(found, int | float) and found is not True:
        return float(found)
    return None


def _measured(cause: Cause) -> object:
    return cause.facts.get("distance_m")
