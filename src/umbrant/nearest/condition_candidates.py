"""What could be made otherwise so that a condition would have come out the
other way: its numbers, the keys it reads, what it senses.
"""

from collections.abc import Iterator

from umbrant.branching.actions import action_text
from umbrant.catalog.causes import Cause
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
from umbrant.catalog.params import Quantity
from umbrant.catalog.renaming.keys import extends
from umbrant.model.behaviors import BINDS, Key, Row, Sharing
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.staging import CueAction, RaiseEvent, SetKey
from umbrant.model.values import KeyRef, KeyType
from umbrant.nearest.candidate import (
    ArrangementCandidate,
    Candidate,
    NumberCandidate,
)
from umbrant.nearest.param_candidates import ParamCandidates
from umbrant.nearest.places import (
    BodyNumberPlace,
    ConditionNumber,
    DoneAtTick,
    KeyAtTick,
    KeyDefault,
    ParamNumber,
)
from umbrant.reasons.condition_report import ConditionReport

EVENT_SENSE = "event"


class ConditionCandidates(ParamCandidates):
    """Candidates from the conditions of one agent's rows at a tick."""

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
            yield from self._of_unset(row_id, atom)

    def _of_unset(
        self, row_id: str, tree: ConditionTree
    ) -> Iterator[NumberCandidate]:
        """What would have given a value to the keys in a condition or a
        formula that have none.
        """
        for part in walk(tree):
            if isinstance(part, KeyTerm):
                key = self._subject.actual_key(row_id, part.key)
                changes = self._subject.record.keys.get(key)
                tick = self._last_decided(row_id)
                written = changes.at(tick) if changes else None
                if written is None or written.value is None:
                    yield from self._of_sensors(key)

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
            written = changes.at(self._last_decided(report.row_id))
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
                f"{name} at {self._subject.header.seconds(found.tick):.2f} s"
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
                    written = now.at(found.tick)
                value = not (written and written.value)
                yield self._done(
                    SetKey(sets=atom.key, of=found.of, value=value), found.tick
                )
        elif isinstance(atom, SenseCall) and atom.sense == EVENT_SENSE:
            yield from self._raised(
                next((source(arg).strip("'") for arg in atom.args), ""),
                self._last_decided(row_id),
            )

    def _raised(
        self, event: object, tick: int
    ) -> Iterator[ArrangementCandidate]:
        known = [
            each.name
            for each in self._subject.header.project.event_list.events
        ]
        if isinstance(event, str) and event in known:
            yield self._done(
                RaiseEvent(raises=event, to=self._subject.member.name), tick
            )

    def _done(self, action: CueAction, tick: int) -> ArrangementCandidate:
        header = self._subject.header
        place = DoneAtTick(scenario=header.scenario, tick=tick, does=action)
        at_s = header.seconds(tick)
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
        tick = self._last_decided(row_id)
        return KeyAtTick(
            scenario=scenario, tick=tick, key=name, of=of, was=was
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
