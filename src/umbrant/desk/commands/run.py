"""Playing, rehearsing, and moving the playhead."""

from umbrant.catalog.language.tree import LanguageError
from umbrant.desk.chips.sentence import number_of
from umbrant.desk.chips.values import FieldChip
from umbrant.desk.commands.action import Action, Where, has_take
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.commands.project import trust
from umbrant.desk.views.decisions.view import DecisionsView
from umbrant.desk.views.registry import STAGE
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.views.study.view import StudyView
from umbrant.model.edits import Edit, set_seed
from umbrant.model.values import number_text, times_text
from umbrant.studying.vary import VaryError, name_of_field, name_of_number

SEEDS_EACH = 20
"""How many seeds are offered for each value of a number."""
FIRST_SEEDS, MOST_SEEDS = 100, 10_000
"""How many seeds a study is offered with, and has at most in the window."""


def new_take(context: CommandContext) -> None:
    """Roll the scenario again. Nodes that have changed since they were trusted
    are asked about, as it is their author who wants to see them run.
    """
    context.desk.documents.read_nodes_again()
    if context.desk.documents.asks_for_trust:
        trust(context)
    context.desk.roll()


def stop_rolling(context: CommandContext) -> None:
    """Stop the roll that is going on, and show what was played until then."""
    context.desk.takes.roller.stop()


def is_rolling(context: CommandContext) -> bool:
    """Whether a take is being rolled."""
    return context.desk.takes.busy


def seed(context: CommandContext) -> None:
    """Give the scenario another seed."""
    scenario = context.desk.scenario
    if scenario is None:
        return
    seed = context.dialogs().integer(
        "Seed", "Seed of the scenario:", scenario.seed, "Roll with it"
    )
    if seed is not None:
        context.desk.apply(
            Edit(f"Seed {seed}", lambda p: set_seed(p, scenario.name, seed))
        )


def rehearse(context: CommandContext) -> None:
    """Play the scenario in real time and steer a puppet by hand; or end that."""
    if context.rehearsing.active:
        context.rehearsing.finish()
        return
    context.show(STAGE)
    context.rehearsing.start()
    context.views.of(StageView).setFocus()


def play(context: CommandContext) -> None:
    """Play the take, or pause."""
    context.playback.toggle()


def tick_on(context: CommandContext) -> None:
    """One tick on."""
    _step(context, 1)


def tick_back(context: CommandContext) -> None:
    """One tick back."""
    _step(context, -1)


def second_on(context: CommandContext) -> None:
    """One second on."""
    _step(context, context.desk.tape.ticks_per_s)


def second_back(context: CommandContext) -> None:
    """One second back."""
    _step(context, -context.desk.tape.ticks_per_s)


def to_start(context: CommandContext) -> None:
    """To the first tick."""
    context.desk.move_playhead(0)


def to_end(context: CommandContext) -> None:
    """To the last tick."""
    context.desk.move_playhead(context.desk.tape.ticks)


def next_change(context: CommandContext) -> None:
    """To the next change of mind."""
    context.desk.next_change(1)


def previous_change(context: CommandContext) -> None:
    """To the change of mind before."""
    context.desk.next_change(-1)


def faster(context: CommandContext) -> None:
    """Play faster."""
    context.playback.change_speed(1)


def slower(context: CommandContext) -> None:
    """Play slower."""
    context.playback.change_speed(-1)


def by_hand_from_here(context: CommandContext) -> None:
    """Steer a puppet from the playhead on; or end what is being rehearsed."""
    if context.rehearsing.active:
        context.rehearsing.finish()
        return
    context.show(STAGE)
    context.rehearsing.start_from()
    context.views.of(StageView).setFocus()


def study(context: CommandContext) -> None:
    """Study the scenario with many seeds; or stop the study that goes on."""
    running = context.views.of(StudyView).study
    if running.is_running:
        running.stop()
        return
    obstacle = context.desk.documents.obstacle()
    if obstacle is not None or context.desk.scenario is None:
        context.desk.message.emit(
            str(obstacle or "The project has no scenario to play.")
        )
        return
    seeds = context.dialogs().integer(
        "Study", "With how many seeds?", FIRST_SEEDS, "Study"
    )
    if seeds:
        running.start(min(seeds, MOST_SEEDS))
        context.show("study")


def study_number(context: CommandContext) -> None:
    """Study the number in the chip that has the focus: many seeds for each of
    several values.
    """
    running, desk, dialogs = (
        context.views.of(StudyView).study,
        context.desk,
        context.dialogs(),
    )
    name = _number_in_focus(context)
    if name is None:
        desk.message.emit(
            "Go to a number first (C, or a click): of a row, a guard, a body, a key or a scenario."
        )
        return
    obstacle = desk.documents.obstacle()
    if obstacle is not None:
        desk.message.emit(str(obstacle))
        return
    ask = f"Which values of {name}? From, to and step, as in 6:12:1; or a list, as in 6,8,12."
    values = dialogs.text(
        "Study this number", ask, _around(context), verb="Go on"
    )
    seeds = values and dialogs.integer(
        "Study", "With how many seeds each?", SEEDS_EACH, "Study"
    )
    if not values or not seeds:
        return
    try:
        running.start(min(seeds, MOST_SEEDS), f"{name}={values.strip()}")
    except VaryError as error:
        desk.message.emit(str(error))
        return
    context.show("study")


def _around(context: CommandContext) -> str:
    """A range around the number in focus, from half of it to half more."""
    focused = context.table.focused_chip
    value = 0.0
    if focused is not None:
        value = number_of(focused[0].value)
    if value == 0:
        return "0:1:0.25"
    low, high, step = (number_text(value * part) for part in (0.5, 1.5, 0.25))
    return f"{low}:{high}:{step}"


def _number_in_focus(context: CommandContext) -> str | None:
    """What a study calls the number in the chip that has the focus; None if it
    has none.
    """
    focused, desk = context.table.focused_chip, context.desk
    if focused is None or desk.behavior is None:
        return None
    chip, _ = focused
    if isinstance(chip, FieldChip):
        return name_of_field(
            desk.project, (*chip.slot.row_id.split("/"), chip.slot.param)
        )
    start = None
    if chip.span is not None:
        start = chip.span[0]
    return name_of_number(desk.project, desk.behavior.name, chip.slot, start)


def decision_map(context: CommandContext) -> None:
    """Ask for two inputs, and show which row would lead for each pair of their
    values.
    """
    view, dialogs = context.views.of(DecisionsView), context.dialogs()
    offered = view.inputs or view.offered_inputs() or ("", "")
    ask = (
        "What goes {}? A sense, a key, a number of the body, visitor.x, .y or .distance, or a "
        "number of a row, such as 1.1.guard.within, with its range: distance(visitor)=0:20"
    )
    across = dialogs.text(
        "Decision map", ask.format("across"), offered[0], verb="Go on"
    )
    up = across and dialogs.text(
        "Decision map", ask.format("up"), offered[1], verb="Show it"
    )
    if across and up:
        context.show("decisions")
        view.show_inputs(across, up)


def stop_where(context: CommandContext) -> None:
    """Ask for a condition at which playing stops."""
    desk, playback = context.desk, context.playback
    condition = context.dialogs().optional_text(
        "Stop where",
        f"Playing stops where this begins to hold for {desk.agent}; empty for nowhere:",
        playback.stop.condition,
        "Stop there",
    )
    if condition is None:
        return
    try:
        playback.stop.set(condition, desk.agent)
    except LanguageError as error:
        desk.message.emit(f"{condition}: {error}. Nothing was changed.")
        return
    playback.stop_changed.emit()
    count = len(playback.stop.ticks)
    places = times_text(count)
    words = "Playing stops nowhere any more."
    if condition:
        words = f"Playing stops where {condition}: {places} in this take."
    desk.message.emit(words)


def _step(context: CommandContext, ticks: int) -> None:
    context.playback.pause()
    if ticks > 0:
        context.playback.move_until_stop(context.desk.playhead + ticks)
    else:
        context.desk.move_playhead(context.desk.playhead + ticks)


ACTIONS: tuple[Action, ...] = (
    Action(
        "new_take",
        "Run",
        "New take",
        "Play the scenario again and record it",
        new_take,
        ("F5",),
    ),
    Action(
        "stop_rolling",
        "Run",
        "Stop rolling",
        "Stop the roll that is going on, and show what was played until then",
        stop_rolling,
        ("Shift+F5",),
        enabled=is_rolling,
    ),
    Action(
        "seed",
        "Run",
        "Seed…",
        "Give the scenario another seed",
        seed,
        ("Ctrl+E",),
    ),
    Action(
        "rehearse",
        "Run",
        "Rehearse",
        "Play in real time and steer a puppet by hand: arrow keys or the mouse, E raises an "
        "event, D drops, Esc ends",
        rehearse,
        ("Ctrl+R",),
    ),
    Action(
        "by_hand",
        "Run",
        "By hand from here",
        "Take over a puppet at the playhead and play on in real time: what comes is a branch",
        by_hand_from_here,
        ("Ctrl+Shift+B",),
        enabled=has_take,
    ),
    Action(
        "play",
        "Run",
        "Play",
        "Play or pause",
        play,
        ("Space",),
        Where.PANES,
        has_take,
        True,
    ),
    Action(
        "tick_on",
        "Run",
        "Tick on",
        "One tick on",
        tick_on,
        ("Right",),
        Where.PANES,
        has_take,
    ),
    Action(
        "tick_back",
        "Run",
        "Tick back",
        "One tick back",
        tick_back,
        ("Left",),
        Where.PANES,
        has_take,
    ),
    Action(
        "second_on",
        "Run",
        "Second on",
        "One second on",
        second_on,
        ("Shift+Right",),
        Where.PANES,
        has_take,
    ),
    Action(
        "second_back",
        "Run",
        "Second back",
        "One second back",
        second_back,
        ("Shift+Left",),
        Where.PANES,
        has_take,
    ),
    Action(
        "study",
        "Run",
        "Study…",
        "Play the scenario with many seeds, and see how often each row runs; or stop doing so",
        study,
        ("Ctrl+Shift+R",),
    ),
    Action(
        "study_number",
        "Run",
        "Study this number…",
        "Play the scenario with many seeds for each of several values of the number in the chip",
        study_number,
        ("Ctrl+Shift+N",),
    ),
    Action(
        "decision_map",
        "Run",
        "Decision map…",
        "Show which row would lead at the playhead, over two inputs",
        decision_map,
        ("Ctrl+Shift+M",),
        enabled=has_take,
    ),
    Action(
        "stop_where",
        "Run",
        "Stop where…",
        "Playing, and steps ahead, stop where a condition begins to hold",
        stop_where,
        ("Ctrl+Shift+P",),
        Where.WINDOW,
        has_take,
    ),
    Action(
        "to_start",
        "Run",
        "To the start",
        "First tick",
        to_start,
        ("Ctrl+Home",),
        Where.PANES,
        has_take,
    ),
    Action(
        "to_end",
        "Run",
        "To the end",
        "Last tick",
        to_end,
        ("Ctrl+End",),
        Where.PANES,
        has_take,
    ),
    Action(
        "next_change",
        "Run",
        "Next change of mind",
        "To where it next turned to something else",
        next_change,
        ("N",),
        Where.PANES,
        has_take,
        True,
    ),
    Action(
        "previous_change",
        "Run",
        "Previous change of mind",
        "To where it last turned to something else",
        previous_change,
        ("P",),
        Where.PANES,
        has_take,
    ),
    Action(
        "faster",
        "Run",
        "Faster",
        "Play faster",
        faster,
        ("Ctrl+Up",),
        starts_group=True,
    ),
    Action("slower", "Run", "Slower", "Play slower", slower, ("Ctrl+Down",)),
)
