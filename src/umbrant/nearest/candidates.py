"""What could be made otherwise so that a row would have run: gathered from
what is in its way, with a first guess from what was recorded. Whether it helps
is for playing to say.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import RUNS, ChildOrder, Family, Kind
from umbrant.catalog.params import NUMBERS, ParamType
from umbrant.model.behaviors import targets_of
from umbrant.model.kind_ids import MACHINE, ON_EVENT
from umbrant.model.parts import GUARD, ROW, part_name
from umbrant.nearest.candidate import (
    ArrangementCandidate,
    Candidate,
    NumberCandidate,
)
from umbrant.nearest.param_candidates import measured_against
from umbrant.nearest.places import (
    BodyNumberPlace,
    CueTime,
    MovedUp,
    TakeOverWatch,
    Unmuted,
)
from umbrant.nearest.score_candidates import ScoreCandidates
from umbrant.reasons.why import Explainer
from umbrant.take.record import Outcome, RowState

ENDED = RowState.SUCCESS, RowState.FAILURE
"""What a row can be at a tick that was at work within it, and is no more."""
MOST_CUES = 3
"""How many cues' times are tried: those nearest to the tick."""
BODY_FIELDS = (
    ("sight_m", "sight", "m"),
    ("cone_deg", "field of view", "°"),
    ("walk_m_s", "walking speed", "m/s"),
    ("run_m_s", "running speed", "m/s"),
)
"""The numbers of a body that are tried: the field, what it is called, the
unit.
"""


class ChangeCandidates(ScoreCandidates):
    """What is in the way of a row at a tick. Raises KeyError for an unknown
    row.
    """

    def __init__(self, explainer: Explainer, tick: int, row_id: str) -> None:
        super().__init__(explainer, tick)
        self._row_id = row_id

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
        that was not tried or failed by itself, what that waits for, and what
        is in it that failed.
        """
        subject, tick = self._subject, self._tick
        for above in subject.outline.path(self._row_id):
            state = subject.state_of(above, tick)
            # One that ended within the tick asked what is in it all the same.
            took_part = above != self._row_id and state in ENDED
            if state is not RowState.RUNNING and not took_part:
                return [
                    above,
                    *self._waited_for(above),
                    *self._why_failed(above),
                ]
        return [self._row_id]

    def _waited_for(self, row_id: str) -> Iterator[str]:
        """The transitions that lead to a state, or the siblings before a row
        that run in its place, or have not let their sequence go on.
        """
        subject = self._subject
        if subject.is_state(row_id):
            yield from self._transitions_to(row_id)
            return
        parent = subject.outline.parent[row_id]
        if parent is None or subject.order(parent) is not ChildOrder.WRITTEN:
            return
        kind = subject.composite(parent)
        # The rows of a state or an option follow each other as well.
        follows = kind is None or kind.goes_on_after == Outcome.SUCCESS
        siblings = subject.outline.children[parent]
        # Only what comes before it in the order has it wait.
        for each in siblings[: siblings.index(row_id)]:
            was_refused = (
                subject.state_of(each, self._tick) is RowState.REFUSED
            )
            if subject.record.row(each).span_at(self._tick) is not None or (
                follows and was_refused
            ):
                yield each
                yield from self._why_failed(each)

    def _why_failed(self, row_id: str) -> Iterator[str]:
        """The rows in one that failed at the tick because of which it did,
        from the outside in.
        """
        span = self._subject.record.row(row_id).span_at(self._tick)
        if span is None or span.cause is None or span.cause.kind != "child":
            return
        child = str(span.cause.facts.get("row"))
        # A damaged take may blame any row.
        if child in self._subject.outline.children[row_id]:
            yield child
            yield from self._why_failed(child)

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
        if self._subject.family(row_id) is Family.OPTION:
            yield from self._of_score(row_id)
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
                yield from self._raised(row.args.get(param.name), self._tick)

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
        """A number of a row or a decorator, with what it would have to be."""
        kind, span = (
            self._kind_of(row_id, part),
            self._subject.record.row(row_id).span_at(self._tick),
        )
        if part != ROW:
            guess = self._guess_of(row_id, kind, name)
        elif kind is not None and span is not None:
            guess = measured_against(span.cause, kind, name)
        else:
            guess = None
        yield from self._of_number(row_id, part, name, title, guess)

    def _guess_of(
        self, row_id: str, kind: Kind | None, name: str
    ) -> float | None:
        """What a number of a decorator would have to be, from the cause of the
        refusal at the tick: a cooldown, a chance, how many times.
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
        times = cause.facts.get("times")
        if cause.kind == "at_most" and isinstance(times, int | float):
            return times + 1.0
        if kind is not None:
            return measured_against(cause, kind, name)
        return None

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
