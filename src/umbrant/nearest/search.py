"""Searching for the nearest changes with which a row would have run at a tick.

Nothing is told that has not been played: each change is played up to the tick,
and of a number the next value towards what it was is played as well, and does
not help.
"""

import math
from collections.abc import Iterator
from itertools import combinations, islice, product

from umbrant.comparing.comparison import ranges_apart
from umbrant.model.documents import Project
from umbrant.model.staging import CueAction
from umbrant.model.values import Document, number_text, times_text
from umbrant.nearest.candidate import (
    ArrangementCandidate,
    Candidate,
    NumberCandidate,
)
from umbrant.nearest.candidates import ChangeCandidates
from umbrant.nearest.places import (
    Arrangement,
    ConditionNumber,
    DoneAtTick,
    KeyAtTick,
    NumberPlace,
    ParamNumber,
)
from umbrant.nearest.trials import TrialPlayer, TrialTake, ran
from umbrant.reasons.why import Explainer
from umbrant.take.record import RowState

NOTHING_HELPS = (
    "Nothing that was tried helps: no number, order or watch in its way alone, "
    "and no two of them."
)
WIDER = (1, 2, 4, 8)
"""How many steps beyond the first guess are tried."""
MOST_CANDIDATES = 16
MOST_PAIRS = 6
MOST_PLAYED = 80
"""How much is tried at the most, so that a search comes to its end."""


class ChangedNumber(Document):
    """A number that is another one."""

    place: NumberPlace
    was: float
    value: float
    step: float
    """How much less of a change does not help any more."""
    title: str
    unit: str = ""
    zero: str = ""
    """What 0 is called, where it stands for something else."""

    @property
    def says(self) -> str:
        """The change in words: `8 m → 8.1 m in 1.1’s guard`."""
        where = "for"
        if isinstance(self.place, ConditionNumber | ParamNumber):
            where = "in"
        was, value = self._said(self.was), self._said(self.value)
        return f"{was} → {value} {where} {self.title}"

    def _said(self, number: float) -> str:
        if self.zero and not number:
            return self.zero
        if self.unit == "times":
            return times_text(number)
        return f"{number_text(number)} {self.unit}".rstrip()

    def put(self, project: Project) -> Project:
        """The project with the change."""
        return self.place.put(project, self.value)

    def less(self, project: Project) -> Project | None:
        """The project with one step less of the change; None where that is no
        change at all.
        """
        nearer = _step_back(self.was, self.value, self.step)
        if nearer is None:
            return None
        return self.place.put(project, nearer)


class Rearranged(Document):
    """Something that is arranged otherwise."""

    place: Arrangement
    title: str

    @property
    def says(self) -> str:
        """The change in words."""
        return self.title

    def put(self, project: Project) -> Project:
        """The project with the change."""
        return self.place.put(project)


class NearestChange(Document):
    """What would have had the row run: one change, or two together."""

    numbers: tuple[ChangedNumber, ...] = ()
    arranged: tuple[Rearranged, ...] = ()
    runs_from: int
    """The tick from which the row would have run on to the one that is asked
    about.
    """
    others: int
    """How many other stretches of the agent's rows would have been otherwise
    until then.
    """
    agent: str
    """Who runs the row, by title."""
    row_name: str
    seconds: float
    """The time of `runs_from`."""
    went_on: bool
    """Whether the row ran until shortly before, so that it would have run on.
    """
    succeeds: bool
    """Whether the row failed at the tick, and would have succeeded there."""

    @property
    def short(self) -> str:
        """The change alone."""
        return " and ".join(
            [
                *(each.says for each in self.numbers),
                *(each.says for each in self.arranged),
            ]
        )

    @property
    def says(self) -> str:
        """The whole sentence."""
        changes = self.short
        verb = "runs"
        if self.succeeds:
            verb = "succeeds"
        elif self.went_on:
            verb = "runs on"
        who = self.agent
        rest = {
            0: f"nothing else that {who} does changes before",
            1: f"{who} does otherwise in one other stretch",
        }.get(
            self.others,
            f"{who} does otherwise in {self.others} other stretches",
        )
        since = "from"
        if self.went_on or self.succeeds:
            since = "at"
        return f"{changes}: {self.row_name} {verb} {since} {self.seconds:.2f} s; {rest}."

    @property
    def done_at(self) -> int | None:
        """The tick at which something is done, as in a branch; None for what
        is written otherwise.
        """
        places = [
            *(each.place for each in self.numbers),
            *(each.place for each in self.arranged),
        ]
        return next(
            (
                each.tick
                for each in places
                if isinstance(each, KeyAtTick | DoneAtTick)
            ),
            None,
        )

    @property
    def actions(self) -> tuple[CueAction, ...]:
        """What is done at the tick; nothing for what is written otherwise."""
        found: list[CueAction] = []
        for number in self.numbers:
            if isinstance(number.place, KeyAtTick):
                found.append(number.place.action(number.value))
        for arranged in self.arranged:
            if isinstance(arranged.place, DoneAtTick):
                found.append(arranged.place.does)
        return tuple(found)

    def put(self, project: Project) -> Project:
        """The project with the change."""
        for number in self.numbers:
            project = number.put(project)
        for arranged in self.arranged:
            project = arranged.put(project)
        return project

    @property
    def distance(self) -> float:
        """How large the change is, as a share of what the numbers were."""
        shares = [
            abs(each.value - each.was)
            / max(abs(each.was), abs(each.value), 1e-9)
            for each in self.numbers
        ]
        return sum(shares) + len(self.arranged) * 0.5


class NearestSearch:
    """Searches for one row of one agent at one tick of a take."""

    def __init__(
        self, explainer: Explainer, tick: int, row_id: str, player: TrialPlayer
    ) -> None:
        self._subject = explainer
        self._tick = tick
        self._row_id = row_id
        self._player = player
        self._project = explainer.header.project

    def found(self) -> Iterator[NearestChange]:
        """The changes that help, each as soon as it has been played: those
        that seem nearest first, and pairs of them if nothing helps alone.
        """
        # It ran: there is nothing to search for.
        if ran(self._subject.record.row(self._row_id), self._tick):
            return
        candidates = ChangeCandidates(
            self._subject, self._tick, self._row_id
        ).found()
        promising = [each for each in candidates if not _is_unknown(each)]
        for search in (
            map(self._one, promising[:MOST_CANDIDATES]),
            self._pairs(promising),
            map(self._from_tries, _numbers(candidates)),
        ):
            # What is simpler is told alone: pairs are tried only where no
            # single change helps, and values without a guess only where no
            # pair does.
            any_found = False
            for found in search:
                if found is not None:
                    any_found = True
                    yield found
                if self._player.played > MOST_PLAYED:
                    return
            if any_found:
                return

    def _one(self, candidate: Candidate) -> NearestChange | None:
        if isinstance(candidate, ArrangementCandidate):
            return self._arranged(candidate)
        if candidate.guess is not None:
            return self._search(candidate, candidate.guess)
        return None

    def _pairs(
        self, candidates: list[Candidate]
    ) -> Iterator[NearestChange | None]:
        """The first pair of numbers that helps."""
        guessed = _numbers(candidates)
        pairs = (
            (one, other)
            for one, other in combinations(guessed, 2)
            if not _is_done_apart(one, other)
        )
        for one, other in islice(pairs, MOST_PAIRS):
            found = self._pair(one, other)
            yield found
            if found is not None:
                return

    # one change

    def _arranged(
        self, candidate: ArrangementCandidate
    ) -> NearestChange | None:
        changed = candidate.place.put(self._project)
        # An arrangement that is there already is no change.
        if changed == self._project:
            return None
        trial = self._player.play([changed])[0]
        if not self._runs(trial):
            return None
        return self._change(
            trial,
            arranged=(
                Rearranged(place=candidate.place, title=candidate.title),
            ),
        )

    def _from_tries(self, candidate: NumberCandidate) -> NearestChange | None:
        """The nearest value of a number of which nothing recorded says what it
        would have to be: from the nearest of some that are tried, if any of
        them helps.
        """
        values = [
            each for each in candidate.tries() if _is_within(candidate, each)
        ]
        trials: dict[float, TrialTake | None] = {}
        self._play(candidate, values, trials)
        helping = [value for value in values if self._runs(trials[value])]
        if not helping:
            return None
        nearest = min(helping, key=lambda value: abs(value - candidate.was))
        return self._nearest(candidate, candidate.was, nearest, trials)

    def _search(
        self, candidate: NumberCandidate, first: float
    ) -> NearestChange | None:
        """Go outwards from a first guess until a value helps, then back to the
        nearest that does.
        """
        was, step = candidate.was, candidate.step(first)
        sign = 1.0 if first > was else -1.0
        # Rounded outwards, for what is rounded towards the number as it was
        # may not be enough.
        base = _on_grid(first, step, sign)
        failed, helped = was, None
        trials: dict[float, TrialTake | None] = {}
        for count in (0, *WIDER):
            value = round(base + sign * count * step, 6)
            if not _is_within(candidate, value):
                break
            # Played along with it, for a processor is free: it is asked next
            # if the value helps.
            nearer = _step_back(was, value, step)
            values = [value]
            if nearer is not None:
                values.append(nearer)
            self._play(candidate, values, trials)
            if self._runs(trials[value]):
                helped = value
                break
            failed = value
        if helped is None:
            return None
        return self._nearest(candidate, failed, helped, trials)

    def _nearest(
        self,
        candidate: NumberCandidate,
        failed: float,
        helped: float,
        trials: dict[float, TrialTake | None],
    ) -> NearestChange:
        """Halve the way between a value that fails and one that helps, until
        they are one step apart.
        """
        was = candidate.was
        step, sign = candidate.step(helped), 1.0
        if helped <= was:
            sign = -1.0
        while True:
            nearer = _step_back(failed, helped, step)
            if nearer is None:
                break
            middle = _middle(failed, helped, step, sign)
            self._play(candidate, [middle], trials)
            if self._runs(trials[middle]):
                helped = middle
            else:
                failed = middle
        number = _changed(candidate, helped, step)
        return self._change(trials[helped], numbers=(number,))

    def _play(
        self,
        candidate: NumberCandidate,
        values: list[float],
        trials: dict[float, TrialTake | None],
    ) -> None:
        """Play a number's values that have not been played yet, at once."""
        new = [value for value in dict.fromkeys(values) if value not in trials]
        played = self._player.play(
            [candidate.place.put(self._project, each) for each in new]
        )
        trials.update(zip(new, played, strict=True))

    # two together

    def _pair(
        self, one: NumberCandidate, other: NumberCandidate
    ) -> NearestChange | None:
        """Both of two numbers at what the recorded sides say, or one step
        beyond, if that helps and neither does with one step less.
        """
        for numbers in product(_at_guess(one), _at_guess(other)):
            nearer = [
                self._with(numbers, less=index)
                for index in range(len(numbers))
            ]
            trial, *less = self._player.play([self._with(numbers), *nearer])
            # Both are needed, each to its last digit: with one step less of
            # either it does not run.
            if self._runs(trial) and not any(map(self._runs, less)):
                return self._change(trial, numbers=numbers)
        return None

    def _with(
        self, numbers: tuple[ChangedNumber, ...], less: int | None = None
    ) -> Project:
        project = self._project
        for index, each in enumerate(numbers):
            nearer = None
            if index == less:
                nearer = each.less(project)
            if index != less:
                project = each.put(project)
            elif nearer is not None:
                project = nearer
        return project

    # what came of it

    def _runs(self, trial: TrialTake | None) -> bool:
        agent = self._subject.member.name
        return trial is not None and trial.runs(
            agent, self._row_id, self._tick
        )

    def _change(
        self,
        trial: TrialTake | None,
        *,
        numbers: tuple[ChangedNumber, ...] = (),
        arranged: tuple[Rearranged, ...] = (),
    ) -> NearestChange:
        assert trial is not None  # noqa: S101  (only what helps comes here)
        agent, take = self._subject.member.name, trial.take
        span = take.agents[agent].row(self._row_id).span_at(self._tick)
        before = self._subject.record.row(self._row_id).last_span(self._tick)
        if span is not None:
            start = span.start
        else:
            start = self._tick
        # Where it ran in both from the same tick on, what is new is that it
        # did not end.
        ended = None
        if before is not None and before.start == start:
            ended = before.end
        runs_from = start if ended is None else ended
        failed = self._subject.state_of(self._row_id, self._tick)
        succeeds = (
            span is not None
            and span.end == self._tick
            and failed is RowState.FAILURE
        )
        if succeeds:
            runs_from = self._tick
        apart = ranges_apart(self._subject.take, take, agent)
        others = [each for each in apart if each.start < runs_from]
        return NearestChange(
            numbers=numbers,
            arranged=arranged,
            runs_from=runs_from,
            others=len(others),
            agent=self._subject.title,
            row_name=self._subject.names.titles[self._row_id],
            seconds=self._subject.header.seconds(runs_from),
            went_on=ended is not None and not succeeds,
            succeeds=succeeds,
        )


def _at_guess(candidate: NumberCandidate) -> list[ChangedNumber]:
    """A number at what the recorded sides say, and one step beyond: the sign
    of a comparison says which of the two is needed.
    """
    if candidate.guess is None:
        return []
    step = candidate.step(candidate.guess)
    if candidate.guess > candidate.was:
        sign = 1.0
    else:
        sign = -1.0
    first = _on_grid(candidate.guess, step, sign)
    values = [first, round(first + sign * step, 6)]
    return [
        _changed(candidate, each, step)
        for each in values
        if _is_within(candidate, each)
    ]


def _changed(
    candidate: NumberCandidate, value: float, step: float
) -> ChangedNumber:
    return ChangedNumber(
        place=candidate.place,
        was=candidate.was,
        value=value,
        step=step,
        title=candidate.title,
        unit=candidate.unit,
        zero=candidate.zero,
    )


def _is_unknown(candidate: Candidate) -> bool:
    return isinstance(candidate, NumberCandidate) and candidate.guess is None


def _is_within(candidate: NumberCandidate, value: float) -> bool:
    low, high = candidate.low, candidate.high
    return (low is None or value >= low) and (high is None or value <= high)


def _on_grid(value: float, step: float, sign: float) -> float:
    """The first value of the grid at or beyond a value, away from what the
    number was.
    """
    count = value / step
    if sign > 0:
        steps = math.ceil(count - 1e-9)
    else:
        steps = math.floor(count + 1e-9)
    return round(steps * step, 6)


def _step_back(towards: float, value: float, step: float) -> float | None:
    """One step nearer to `towards`; None where that reaches it or goes past
    it.
    """
    sign = 1.0 if value > towards else -1.0
    nearer = round(value - sign * step, 6)
    if (nearer - towards) * sign > 1e-9:
        return nearer
    return None


def _middle(failed: float, helped: float, step: float, sign: float) -> float:
    """A value of the grid half-way between two, other than both."""
    count = max(1, int(abs(helped - failed) / step / 2))
    return round(helped - sign * count * step, 6)


def _numbers(candidates: list[Candidate]) -> list[NumberCandidate]:
    return [each for each in candidates if isinstance(each, NumberCandidate)]


def _is_done_apart(one: NumberCandidate, other: NumberCandidate) -> bool:
    """Whether two numbers are done at different ticks, which no branch can."""
    places = (one.place, other.place)
    ticks = {each.tick for each in places if isinstance(each, KeyAtTick)}
    return len(ticks) > 1
