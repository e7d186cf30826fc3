"""Declaring a kind: what follows from it, and a developer's mistakes."""

import types
from typing import Any

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import Steps, action, composite, decorator, sense
from umbrant.catalog.kind import Catalog, ChildOrder, DeclarationError, Family
from umbrant.catalog.outcomes import PossibleOutcomes, either
from umbrant.catalog.params import Metres, ParamType
from umbrant.catalog.world import Me, Target
from umbrant.model.values import KeyType


def test_everything_about_a_kind_follows_from_its_declaration() -> None:
    @action(
        "ring {bell} within {reach}[ loudly {loud}]",
        success="it rang",
        failure="no bell",
    )
    def ring_bell(
        me: Me, bell: Target, *, reach: Metres = 1.5, loud: bool = False
    ) -> Steps:
        """Rings a bell.

        bell: which bell
        reach: how near to stand
        loud: whether all hear it
        """
        yield None
        return True

    assert (ring_bell.id, ring_bell.title, ring_bell.help) == (
        "ring_bell",
        "ring bell",
        "Rings a bell.",
    )
    assert ring_bell.takes_time
    bell, reach, loud = ring_bell.params
    assert (bell.type, bell.required, bell.keys) == (
        ParamType.PLACE,
        True,
        (KeyType.POINT, KeyType.AGENT, KeyType.PROP),
    )
    assert (reach.default, reach.quantity.unit, reach.quantity.low) == (
        1.5,
        "m",
        0,
    )
    assert (loud.type, loud.default) == (ParamType.YES_NO, False)
    assert [
        words or param.name
        for words, param in ring_bell.phrase_parts()
        if words or param
    ] == [
        "ring",
        "bell",
        "within",
        "reach",
    ]
    assert len(ring_bell.phrase_parts(["loud"])) == 6
    assert set(ring_bell.outcomes) == {"success", "failure", "running"}


def test_mistakes_in_a_declaration_are_raised_when_it_is_made() -> None:
    def undocumented(me: Me) -> bool:
        return True

    def unexplained(me: Me, reach: Metres) -> bool:
        """Does something."""
        return True

    def odd(me: Me, thing: bytes) -> bool:
        """Does something.

        thing: what
        """
        return True

    def plain(me: Me) -> bool:
        """Does something."""
        return True

    for run, phrase, says in (
        (undocumented, "x", "no help"),
        (unexplained, "x {reach}", "docstring"),
        (odd, "x {thing}", "no chip can hold"),
        (plain, "x {reach}", "none of its parameters"),
    ):
        with pytest.raises(DeclarationError, match=says):
            action(phrase)(run)


def test_a_parameter_that_no_phrase_names_is_a_mistake() -> None:
    def hidden(me: Me, reach: Metres = 1.0) -> bool:
        """Does something.

        reach: how far
        """
        return True

    with pytest.raises(DeclarationError, match="does not name 'reach'"):
        action("x")(hidden)


def test_an_expression_that_names_no_parameter_is_a_mistake() -> None:
    def at_hand(me: Me) -> bool:
        """Says something."""
        return True

    with pytest.raises(DeclarationError, match="in line it names 'key'"):
        sense(
            "at hand", gives=KeyType.YES_NO, in_line="{key}.value is not None"
        )(at_hand)


def test_two_kinds_of_one_name_are_a_mistake() -> None:
    def twin(me: Me) -> bool:
        """Does something."""
        return True

    modules = []
    for name in ("one", "other"):
        module = types.ModuleType(name)
        copied = types.FunctionType(
            twin.__code__, {"__name__": name, "Me": Me}, "twin"
        )
        copied.__doc__ = twin.__doc__
        kind = sense("twin", gives=KeyType.YES_NO)(copied)
        kind.run.__module__ = name
        module.twin = kind  # type: ignore[attr-defined]
        modules.append(module)
    with pytest.raises(DeclarationError, match="two kinds"):
        Catalog.of(modules)


def test_every_kind_has_help_and_explains_each_parameter() -> None:
    for kind in BUILTIN.kinds.values():
        assert kind.help
        assert kind.outcomes
        assert all(param.help for param in kind.params)
    families = {kind.family for kind in BUILTIN.kinds.values()}
    assert families == set(Family)


class Chooser:
    """Tries its children.

    Example: one, then the other.
    """

    def __init__(self, children: object) -> None: ...


@pytest.mark.parametrize(
    ("facts", "says"),
    [
        ({"goes_on_after": "fails"}, "`goes_on_after` is an outcome"),
        ({"order": ChildOrder.TOGETHER}, "say with `rests`"),
        ({"rests": "waits"}, "say with `rests`"),
    ],
)
def test_a_composite_whose_facts_do_not_agree_is_refused_at_import(
    facts: dict[str, Any], says: str
) -> None:
    declare = composite(
        "",
        success="one did",
        failure="none did",
        summary="tries",
        can_end=either,
        **facts,
    )
    with pytest.raises(DeclarationError, match=says):
        declare(Chooser)


def test_a_composite_or_a_decorator_must_say_what_it_can_come_to() -> None:
    with pytest.raises(TypeError, match="can_end"):
        composite("", success="one did", failure="none did", summary="tries")  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="can_end"):
        decorator("twice")  # type: ignore[call-arg]


def test_what_is_asked_of_kinds_in_general_stands_on_them() -> None:
    kinds = BUILTIN.kinds
    assert [each.id for each in kinds.values() if each.is_gate] == [
        "cooldown",
        "chance",
        "at_most",
    ]
    assert [each.id for each in kinds.values() if each.allows_take_over] == [
        "selector",
        "sequence",
    ]
    inverted = kinds["invert"].can_end({}, [PossibleOutcomes(True, False)])
    assert inverted == PossibleOutcomes(False, True)
    final = kinds["final"].can_end({"result": "failure"}, [])
    assert kinds["machine"].can_end({}, [final]) == PossibleOutcomes(
        False, True
    )
