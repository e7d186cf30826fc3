"""What cues do, in words."""

from umbrant.model.staging import (
    CueAction,
    DropProp,
    HeldResult,
    HoldResult,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import value_text
from umbrant.take.header import Header


def cue_text(action: CueAction, header: Header) -> str:
    """What a cue of a take does, in words that follow its number."""
    match action:
        case RaiseEvent():
            return f"raises {action.raises}{f' for {action.to}' if action.to else ''}"
        case SetKey():
            whose = ""
            if action.of:
                whose = f" of {action.of}"
            return f"sets {action.sets}{whose} to {value_text(action.value)}"
        case MoveTo():
            return f"puts {action.moves} at {value_text(action.to)}"
        case DropProp():
            return f"drops {action.drops.name}"
        case TakeAway():
            return f"takes {action.removes} away"
        case SetNumber():
            return f"sets {action.changes} of {action.of} to {value_text(action.value)}"
        case HoldResult(result=HeldResult.RELEASED):
            return f"releases {_row_of(action, header)}"
        case HoldResult():
            return f"holds {_row_of(action, header)} at {action.result}"


def _row_of(action: HoldResult, header: Header) -> str:
    """The row that a cue holds, by its number and name, and whose it is."""
    member = header.played.find_player(action.of)
    behavior = None
    if member and member.behavior:
        behavior = header.expanded(member.behavior).behavior
    row = None
    if behavior:
        row = behavior.by_id.get(action.holds)
    if behavior is None or row is None:
        return f"row {action.holds} of {action.of}"
    return f"{behavior.outline.number[row.id]} {row.name} of {action.of}"
