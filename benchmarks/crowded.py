"""A large project of plain parts: what sixty of the cast, two hundred props
and forty states ask of the screens.
"""

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import validate
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.staging import Member, Prop
from umbrant.model.values import with_changed

GROUPS = ("barrels", "boxes", "lights", "ropes", "tables")
KINDS = ("warden", "dog", "porter")


def crowded(
    project: Project, *, cast: int = 60, props: int = 200, states: int = 40
) -> Project:
    """A project with so many more of each on its first stage and in its first
    scenario.
    """
    scenario = project.scenario(project.cover.scenario)
    stage = project.stage(scenario.stage)
    more = tuple(
        Prop(
            name=f"{GROUPS[index * len(GROUPS) // props][:-1]}_{index}",
            group=GROUPS[index * len(GROUPS) // props],
            at=(round(1 + index % 30, 1), round(5 + index // 30 * 1.7, 1)),
        )
        for index in range(props)
    )
    extras = tuple(
        Member(
            name=f"guard_{index}",
            behavior="gull",
            group=f"flock_{index // 15}",
            start=(
                round(2 + index % 20 * 1.4, 1),
                round(6.5 + index // 20 * 0.9, 1),
            ),
        )
        for index in range(cast)
    )
    changed = scenario.model_copy(update={"cast": (*scenario.cast, *extras)})
    filled = stage.model_copy(update={"props": (*stage.props, *more)})
    made = project.with_scenario(changed).model_copy(
        update={
            "stages": with_changed(project.stages, filled),
            "behaviors": (*project.behaviors, machine_of(states)),
        }
    )
    assert validate(made, BUILTIN) == []
    return made


def machine_of(states: int) -> Behavior:
    """A machine of so many states in nested regions, each with a transition to
    the next.
    """
    rows = [Row(id="top", kind="machine", name="Day", args={"initial": "st0"})]
    for index in range(states):
        under = "top" if index % 8 == 0 else f"st{index - index % 8}"
        inner = (
            {"initial": f"st{index + 1}"}
            if index % 8 == 0 and index + 1 < states
            else {}
        )
        rows.append(
            Row(
                id=f"st{index}",
                under=under,
                kind="state",
                name=f"Stage {index}",
                args=inner,
            )
        )
    for index in range(states - 1):
        rows.append(
            Row(
                id=f"tr{index}",
                under=f"st{index}",
                kind="after",
                args={"to": f"st{index + 1}", "time": 2.0},
            )
        )
    return Behavior(
        name="day", title="Day", blackboard="quay", rows=tuple(rows)
    )
