"""What a row can come to, as far as that can be said without running it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from umbrant.model.values import ParamValue


@dataclass(frozen=True)
class PossibleOutcomes:
    """Whether a row can succeed and whether it can fail. Where that cannot be
    told, it can.
    """

    succeeds: bool = True
    fails: bool = True

    @property
    def ends(self) -> bool:
        """Whether it can end at all."""
        return self.succeeds or self.fails


EITHER = PossibleOutcomes()
NEITHER = PossibleOutcomes(False, False)

OutcomeRule = Callable[
    [Mapping[str, ParamValue], Sequence[PossibleOutcomes]], PossibleOutcomes
]
"""What a kind can come to, given its arguments and what can come of the rows in
it: of a composite its children, of a machine its states, of a decorator the one
row it stands on.
"""


def either(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """The outcomes of work that may succeed or fail."""
    return EITHER


def never_ends(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """It ends nothing: a state that is no final one."""
    return NEITHER


def first_success(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """One child's success suffices, and all must fail."""
    return PossibleOutcomes(
        any(each.succeeds for each in inside),
        all(each.fails for each in inside),
    )


def all_succeed(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """All children must succeed, and one failure suffices."""
    return PossibleOutcomes(
        all(each.succeeds for each in inside),
        any(each.fails for each in inside),
    )


def any_end(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """It ends as soon as one of the rows in it does, and in the same way."""
    return PossibleOutcomes(
        any(each.succeeds for each in inside),
        any(each.fails for each in inside),
    )


def as_inside(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """The outcomes of the row that a decorator stands on, for a decorator that
    passes them on unchanged.
    """
    return inside[0]


def inverted(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """The outcomes with success and failure exchanged, for a decorator that
    inverts.
    """
    return PossibleOutcomes(inside[0].fails, inside[0].succeeds)


def only_success(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """Success, however the row ends."""
    return PossibleOutcomes(inside[0].ends, False)


def failure_as_inside(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """Failure where the row can fail; there is no other end."""
    return PossibleOutcomes(False, inside[0].fails)


def no_end(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """It runs until it is stopped."""
    return PossibleOutcomes(False, False)


def only_failure(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """Failure, however the row ends."""
    return PossibleOutcomes(False, inside[0].ends)


def may_also_fail(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """As the row, and failure besides."""
    return PossibleOutcomes(inside[0].succeeds, True)


def work(fails: bool) -> OutcomeRule:
    """The outcomes of an action that ends with success, and with failure if it
    says when.
    """
    return lambda args, inside: PossibleOutcomes(True, fails)


def once_only(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """The outcomes of what goes round and round for ever unless it is to be
    done once.
    """
    return PossibleOutcomes(args.get("rounds", "once") == "once", True)


def until_result(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """Success once the row ends in the way that is waited for; there is no
    other end.
    """
    wants_success = args.get("result", "success") == "success"
    if wants_success:
        can_succeed = inside[0].succeeds
    else:
        can_succeed = inside[0].fails
    return PossibleOutcomes(can_succeed, False)
