"""A roll that takes its time: how far it is, and stopping it."""

from tests.desk.conftest import Driver
from umbrant.model.edits import Edit
from umbrant.model.staging import Scenario


def test_a_long_roll_says_how_far_it_is_and_can_be_stopped(
    demo_driver: Driver,
) -> None:
    hands = demo_driver

    def longer(scenario: Scenario) -> Scenario:
        return scenario.model_copy(update={"seconds": 40_000.0})

    def apply(project):  # type: ignore[no-untyped-def]
        scenarios = tuple(map(longer, project.scenarios))
        return project.model_copy(update={"scenarios": scenarios})

    stop = hands.pane.actions_by_id["stop_rolling"]
    assert not stop.isEnabled()
    hands.desk.apply(Edit("Longer", apply))
    hands.until(lambda: hands.desk.takes.percent is not None)
    assert hands.pane.top.state.text().startswith("rolling… ")
    assert hands.pane.top.state.text().endswith(" %")
    assert stop.isEnabled()
    stop.trigger()
    hands.until(
        lambda: not hands.desk.takes.busy and len(hands.desk.takes.kept) == 2
    )
    take = hands.desk.take
    assert not take.is_complete
    assert 0 < take.ticks < take.header.ticks
    assert "stopped by the author" in take.ended
    assert any(
        "not whole: stopped by the author" in each for each in hands.messages
    )
    assert hands.desk.takes.percent is None
