"""Actions typed as they are said: read, written back, offered, refused."""

import pytest

from tests.small import played, project, row
from umbrant.branching.actions import (
    ActionError,
    ActionScope,
    action_text,
    read_actions,
)
from umbrant.branching.suggestions import suggested
from umbrant.model.behaviors import Event, EventList, Key, Sharing
from umbrant.model.staging import (
    Body,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    Prop,
    RaiseEvent,
    SetKey,
    SetNumber,
    Stat,
    TakeAway,
)
from umbrant.model.values import KeyType

KEYS = (
    Key(name="mood", type=KeyType.NUMBER, low=0, high=1, default=0.2),
    Key(name="alarm", type=KeyType.YES_NO, scope=Sharing.WORLD),
    Key(name="spot", type=KeyType.POINT),
    Key(name="friend", type=KeyType.AGENT),
    Key(name="bowl", type=KeyType.PROP),
    Key(name="line", type=KeyType.TEXT),
    Key(name="twice", type=KeyType.NUMBER, formula="mood * 2"),
)


@pytest.fixture(scope="module")
def scope() -> ActionScope:
    made = project(
        row("top", "selector"),
        row("one", "wait", "top", name="Look at it", duration=0.5),
        keys=KEYS,
        body=Body(stats={"energy": Stat(value=0.5)}),
        cast=(
            Member(
                name="tam",
                start=(5, 5),
                group="folk",
                body=Body(stats={"gold": Stat()}),
            ),
        ),
        props=(Prop(name="dish", group="bowls", at=(3, 3)),),
    )
    events = EventList(events=(Event(name="thunder", help="it thunders"),))
    return ActionScope(
        played(made.model_copy(update={"event_list": events})), "a", 4
    )


READ = {
    "mood = 0.8": SetKey(sets="mood", of="a", value=0.8),
    "set mood to 0.8": SetKey(sets="mood", of="a", value=0.8),
    "mood of a: .5": SetKey(sets="mood", of="a", value=0.5),
    "mood = nothing": SetKey(sets="mood", of="a", value=None),
    "alarm = yes": SetKey(sets="alarm", value=True),
    "alarm=off": SetKey(sets="alarm", value=False),
    "spot = 3, 4": SetKey(sets="spot", of="a", value=(3.0, 4.0)),
    "spot = corner": SetKey(sets="spot", of="a", value=(19.0, 9.0)),
    "friend = tam": SetKey(sets="friend", of="a", value="tam"),
    "bowl = dish": SetKey(sets="bowl", of="a", value="dish"),
    "line = well then": SetKey(sets="line", of="a", value="well then"),
    "energy = 0.1": SetNumber(changes="energy", of="a", value=0.1),
    "gold of tam = 1": SetNumber(changes="gold", of="tam", value=1.0),
    "move tam to 12, 4": MoveTo(moves="tam", to=(12.0, 4.0)),
    "move tam 12,4": MoveTo(moves="tam", to=(12.0, 4.0)),
    "put dish corner": MoveTo(moves="dish", to=(19.0, 9.0)),
    "raise thunder": RaiseEvent(raises="thunder"),
    "raise thunder to tam": RaiseEvent(raises="thunder", to="tam"),
    "raise thunder for folk": RaiseEvent(raises="thunder", to="folk"),
    "hold 1.1 at failure": HoldResult(
        holds="one", of="a", result=HeldResult.FAILURE
    ),
    "hold one refused": HoldResult(
        holds="one", of="a", result=HeldResult.REFUSED
    ),
    "hold look at it at refused": HoldResult(
        holds="one", of="a", result=HeldResult.REFUSED
    ),
    "hold Look at it failure": HoldResult(
        holds="one", of="a", result=HeldResult.FAILURE
    ),
    "release look at it": HoldResult(
        holds="one", of="a", result=HeldResult.RELEASED
    ),
    "release 1.1": HoldResult(holds="one", of="a", result=HeldResult.RELEASED),
    "take tam away": TakeAway(removes="tam"),
}


@pytest.mark.parametrize("text", READ)
def test_what_is_said_is_read_and_what_is_written_back_reads_the_same(
    text: str, scope: ActionScope
) -> None:
    (action,) = read_actions(text, scope)
    assert action == READ[text]
    assert read_actions(action_text(action, scope.behavior), scope) == (
        action,
    )


def test_several_are_parted_by_semicolons(scope: ActionScope) -> None:
    assert read_actions("mood = 0.8; raise thunder;", scope) == (
        READ["mood = 0.8"],
        READ["raise thunder"],
    )
    assert read_actions("  ", scope) == ()


REFUSED = {
    "mood = 3": "mood cannot be 3: it goes from 0 up to 1.",
    "mood = high": "mood is a number, not 'high'.",
    "modd = 1": "Did you mean 'mood'?",
    "twice = 1": "There is no key or number 'twice' to set.",
    "alarm = perhaps": "alarm is yes or no, not 'perhaps'.",
    "spot = nowhere": "'nowhere' is no place. Type `x, y` in metres, or one of corner.",
    "spot = 1.2.3, 4": "is no place",
    "friend = nobody": "There is no 'nobody'.",
    "mood of nobody = 1": "There is no 'nobody' in the cast.",
    "energy = 7": "energy cannot be 7: it goes from 0 up to 1.",
    "move": "Name somebody to move.",
    "move tim 1, 1": "Did you mean 'tam'?",
    "move tam": "'' is no place.",
    "raise": "Name the event to raise.",
    "raise thnder": "Did you mean 'thunder'?",
    "raise thunder to nobody": "There is no 'nobody'.",
    "hold 9 at failure": "a has no row '9'. There are: ",
    "hold 1.1 at noon": "Say at what it is held: success, failure or refused.",
    "hold 1.1": "Say at what it is held: success, failure or refused.",
    "hold": "Name the row to hold, by its number or its name.",
    "do something": "is nothing that can be done here",
}


@pytest.mark.parametrize("text", REFUSED)
def test_what_cannot_be_done_is_refused_with_what_can(
    text: str, scope: ActionScope
) -> None:
    with pytest.raises(ActionError) as refused:
        read_actions(text, scope)
    assert REFUSED[text] in str(refused.value)


def test_a_puppet_has_no_rows_to_hold(scope: ActionScope) -> None:
    with pytest.raises(ActionError, match="tam is a puppet"):
        read_actions("hold 1.1 at failure", ActionScope(scope.take, "tam", 4))


def test_offers_lead_to_something_that_can_be_done(scope: ActionScope) -> None:
    found, wrong = suggested("", scope)
    assert not wrong
    assert not any(each.actions for each in found if each.fills.endswith(" "))
    titles = [each.title for each in found]
    for wanted in (
        "mood = …",
        "alarm = …",
        "energy = …",
        "raise thunder",
        "move tam to …",
    ):
        assert wanted in titles, titles
    assert "twice = …" not in titles
    # Following each offer, its first one each time, ends in an action after a
    # few steps.
    for offer in found:
        text = offer.fills
        for _ in range(3):
            more, _ = suggested(text, scope)
            if more and more[0].actions:
                break
            text = more[0].fills if more else f"{text}0.5"
        assert suggested(text, scope)[0][0].actions, offer.title


def test_a_complete_text_comes_first_and_goes_on_after_a_semicolon(
    scope: ActionScope,
) -> None:
    found, _ = suggested("mood = 0.8", scope)
    assert found[0].actions == (READ["mood = 0.8"],)
    found, _ = suggested("mood = 0.8; thun", scope)
    assert found[0].fills == "mood = 0.8; raise thunder"
    found, wrong = suggested("mood = 4", scope)
    assert not found
    assert "from 0 up to 1" in wrong
