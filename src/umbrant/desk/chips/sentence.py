"""A row as the sentence it is read as: words, chips and pills, and what each
chip edits. Knows nothing of Qt.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.language.phrases import (
    PhrasePiece,
    PhrasePieceKind,
    pieces,
)
from umbrant.catalog.language.tree import SIGNS, LanguageError, parse
from umbrant.catalog.params import Param, ParamType, Quantity
from umbrant.model.behaviors import (
    BINDS,
    Decorator,
    Key,
    Row,
    Upkeep,
    UpkeepMoment,
)
from umbrant.model.kind_ids import ANY_EVENT, STATE_DONE, USE_BEHAVIOR, UTILITY
from umbrant.model.parts import GUARD, ROW, Slot, part_name
from umbrant.model.values import (
    Curve,
    KeyRef,
    KeyType,
    ParamValue,
    PlaceRef,
    Shape,
    Spread,
    number_text,
    value_text,
)


class PieceRole(StrEnum):
    """How a piece is drawn."""

    KIND = "kind"
    NAME = "name"
    WORDS = "words"
    KEY_WORD = "key word"
    CHIP = "chip"
    KEY_CHIP = "key chip"
    FLAT_CHIP = "flat chip"


class Pill(StrEnum):
    """What a piece stands on."""

    NONE = ""
    GUARD = "guard"
    WRAP = "wrap"


class ChipEditor(StrEnum):
    """How a chip is edited."""

    NUMBER = "number"
    TEXT = "text"
    CONDITION = "condition"
    PICK = "pick"
    WATCH = "watch"
    NAME = "name"
    FORMULA = "formula"
    CURVE = "curve"


ChipKey = tuple[Slot, ChipEditor, int]

WHEN, WATCH, EVERY = "when", "watch", "every"
"""The parameters of a guard, and the one that every upkeep has, as they stand
in a `Slot`.
"""
STEP_SIGN, STEP_THRESHOLD = "curve.sign", "curve.threshold"
"""Two fields of a curve that is a step, as they stand in a `Slot`."""


@dataclass(frozen=True)
class Chip:
    """A value in a sentence that can be changed. A number inside a condition
    stands at `span` of the condition.
    """

    slot: Slot
    editor: ChipEditor
    value: ParamValue | None
    label: str
    param: Param | None = None
    quantity: Quantity = Quantity()  # noqa: RUF009  (frozen, so it may be shared)
    span: tuple[int, int] | None = None
    missing: bool = False
    overridden: bool = False
    """Whether a variant says this otherwise than the behavior that it is made
    from.
    """

    @property
    def key(self) -> ChipKey:
        """What stays the same when the chip's value is changed: its slot, and
        where in a condition it begins.
        """
        return self.slot, self.editor, self.span[0] if self.span else -1


@dataclass(frozen=True)
class SentencePiece:
    """A stretch of a sentence."""

    text: str
    role: PieceRole
    pill: Pill = Pill.NONE
    chip: Chip | None = None
    group: int = 0
    """Pieces that stand on the same pill share a group."""


@dataclass(frozen=True)
class SentenceContext:
    """What a row's sentence depends on besides the row: the names of other
    rows, and what it uses.
    """

    names: Mapping[str, str]
    """The name of each row of the behavior, by id."""
    inner_keys: Mapping[str, Key] = field(default_factory=dict)
    """Of a row that uses another behavior: that behavior's keys."""
    from_any_state: bool = False
    """Of a transition: whether it is the machine's own."""

    def name_of(self, row: Row, other: str) -> str:
        """The name of a row that another one of the same behavior names by its
        id.
        """
        path = row.id.rpartition("/")[0]
        row_id = other
        if path:
            row_id = f"{path}/{other}"
        return self.names.get(row_id, other)


NO_CONTEXT = SentenceContext({})


def sentence(
    row: Row,
    catalog: Catalog,
    around: SentenceContext = NO_CONTEXT,
    *,
    in_full: bool = False,
) -> list[SentencePiece]:
    """The pieces of a row, in the order in which they are read. `in_full`
    shows parameters left at their default.
    """
    pieces = []
    writer = _Writer(row, catalog, around, in_full)
    for group, block in enumerate(writer.blocks()):
        for piece in block:
            if piece.pill is not Pill.NONE:
                # What belongs together stands on one pill.
                piece = SentencePiece(
                    piece.text, piece.role, piece.pill, piece.chip, group
                )
            pieces.append(piece)
    return pieces


def has_more(row: Row, catalog: Catalog) -> bool:
    """Whether a row has parameters that are shown only in full."""
    return len(sentence(row, catalog, in_full=True)) > len(
        sentence(row, catalog)
    )


class _Writer:
    def __init__(
        self,
        row: Row,
        catalog: Catalog,
        around: SentenceContext,
        in_full: bool,
    ) -> None:
        self.row = row
        self.catalog = catalog
        self.around = around
        self.in_full = in_full

    def _label(self, kind: Kind | None) -> str:
        """What stands for the kind."""
        if kind is None:
            return f"{self.row.kind}?"
        if _shows_kind(kind):
            return kind.title
        return str(kind.family)

    def blocks(self) -> Iterator[list[SentencePiece]]:
        """Kind and name; each decorator; the phrase; the guard; each upkeep."""
        kind = self.catalog.get(self.row.kind, *ROWS)
        label = self._label(kind)
        name = Chip(
            Slot(self.row.id, ROW, "name"),
            ChipEditor.NAME,
            self.row.name,
            "name",
        )
        nameless = kind is not None and kind.family in NAMELESS
        if not nameless or self.row.name:
            yield [
                SentencePiece(label, PieceRole.KIND),
                SentencePiece(
                    self.row.name or "unnamed", PieceRole.NAME, chip=name
                ),
            ]
        elif kind is not None and kind.family is not Family.TRANSITION:
            yield [SentencePiece(label, PieceRole.KIND)]
        for index, decorator in enumerate(self.row.decorators):
            yield self._decorator(index, decorator)
        if kind is not None:
            yield from self._own_phrase(kind)
        if self.around.from_any_state:
            yield [SentencePiece("from any state", PieceRole.KIND)]
        if self.row.kind == USE_BEHAVIOR:
            yield from self._binds()
        if self.row.guard:
            yield self._guard(self.row.guard.when, str(self.row.guard.watch))
        for index, upkeep in enumerate(self.row.upkeep):
            yield self._upkeep(index, upkeep)

    def _own_phrase(self, kind: Kind) -> Iterator[list[SentencePiece]]:
        """The phrase of the row itself. What is optional in a utility's
        settings stands on a pill of its own.
        """
        if kind.family is not Family.OPTION and kind.id != UTILITY:
            yield list(self._phrase(kind, self.row.args, ROW, Pill.NONE))
            return
        if self.in_full:
            shown = [param.name for param in kind.params]
        else:
            shown = list(self.row.args)
        for optional, parts in kind.stretches(shown):
            pill = Pill.WRAP if optional else Pill.NONE
            yield list(self._pieces(parts, self.row.args, ROW, pill))

    def _binds(self) -> Iterator[list[SentencePiece]]:
        """What the used behavior's keys are bound to; in full also those that
        are not bound.
        """
        for name, key in self.around.inner_keys.items():
            value = self.row.binds.get(name)
            if value is None and not self.in_full:
                continue
            if key.type is KeyType.NUMBER:
                wanted = ParamType.NUMBER
            else:
                wanted = ParamType.TEXT
            param = Param(
                name, wanted, key.help or f"the key {name}", keys=(key.type,)
            )
            quantity = Quantity(key.unit, key.low, key.high, 0.1)
            number = wanted is ParamType.NUMBER and not isinstance(
                value, KeyRef
            )
            if number and value is not None:
                editor = ChipEditor.NUMBER
            else:
                editor = ChipEditor.PICK
            chip = Chip(
                Slot(self.row.id, BINDS, name),
                editor,
                value,
                name,
                param,
                quantity,
            )
            keyed = isinstance(value, KeyRef)
            if value is None:
                text = "its own"
            else:
                text = value_text(value, key.unit)
            if keyed:
                role = PieceRole.KEY_CHIP
            else:
                role = PieceRole.CHIP
            yield [
                SentencePiece(f"{name} is", PieceRole.WORDS, Pill.WRAP),
                SentencePiece(
                    text,
                    role,
                    Pill.WRAP,
                    chip,
                ),
            ]

    def _decorator(
        self, index: int, decorator: Decorator
    ) -> list[SentencePiece]:
        kind = self.catalog.get(decorator.kind, Family.DECORATOR)
        if kind is None:
            return [
                SentencePiece(f"{decorator.kind}?", PieceRole.WORDS, Pill.WRAP)
            ]
        return list(
            self._phrase(
                kind, decorator.args, part_name("decorator", index), Pill.WRAP
            )
        )

    def _upkeep(self, index: int, upkeep: Upkeep) -> list[SentencePiece]:
        part = part_name("upkeep", index)
        quantity = Quantity("s", low=0.05, step=0.05)
        slot = Slot(self.row.id, part, EVERY)
        if upkeep.at is UpkeepMoment.EVERY:
            text = value_text(upkeep.every_s, "s")
            when = Chip(
                slot,
                ChipEditor.NUMBER,
                upkeep.every_s,
                "every",
                None,
                quantity,
            )
        else:
            text = str(upkeep.at)
            when = Chip(slot, ChipEditor.PICK, text, "when", None, quantity)
        found = [
            SentencePiece("upkeep", PieceRole.WORDS, Pill.WRAP),
            SentencePiece(text, PieceRole.CHIP, Pill.WRAP, when),
        ]
        kind = self.catalog.get(upkeep.kind, Family.ACTION, Family.CONDITION)
        if kind is None:
            return [
                *found,
                SentencePiece(f"{upkeep.kind}?", PieceRole.WORDS, Pill.WRAP),
            ]
        return [*found, *self._phrase(kind, upkeep.args, part, Pill.WRAP)]

    def _guard(self, when: str, watch: str) -> list[SentencePiece]:
        slot = Slot(self.row.id, GUARD, WATCH)
        chip = Chip(slot, ChipEditor.WATCH, watch, "watch")
        return [
            SentencePiece(
                "if",
                PieceRole.WORDS,
                Pill.GUARD,
                self._condition_chip(GUARD, WHEN, when),
            ),
            *self._condition(GUARD, WHEN, when, Pill.GUARD),
            SentencePiece(f"· {watch}", PieceRole.FLAT_CHIP, Pill.GUARD, chip),
        ]

    def _phrase(
        self, kind: Kind, args: dict[str, ParamValue], part: str, pill: Pill
    ) -> Iterator[SentencePiece]:
        if self.in_full:
            shown = [param.name for param in kind.params]
        else:
            shown = list(args)
        yield from self._pieces(kind.phrase_parts(shown), args, part, pill)

    def _pieces(
        self,
        parts: Sequence[tuple[str, Param | None]],
        args: dict[str, ParamValue],
        part: str,
        pill: Pill,
    ) -> Iterator[SentencePiece]:
        for words, param in parts:
            if param is None:
                yield SentencePiece(words, PieceRole.WORDS, pill)
            elif param.type is ParamType.CONDITION and isinstance(
                args.get(param.name), str
            ):
                yield from self._condition(
                    part, param.name, str(args[param.name]), Pill.GUARD
                )
            elif param.type is ParamType.FORMULA and isinstance(
                args.get(param.name), str
            ):
                if not self._says(str(args[param.name])):
                    yield from self._condition(
                        part,
                        param.name,
                        str(args[param.name]),
                        pill,
                        ChipEditor.FORMULA,
                    )
            else:
                yield self._chip(param, args.get(param.name), part, pill)
                yield from self._step(args.get(param.name), pill)

    def _step(
        self, curve: ParamValue | None, pill: Pill
    ) -> Iterator[SentencePiece]:
        """What a curve that is a step compares its input with; nothing for any
        other value.
        """
        if not isinstance(curve, Curve) or curve.shape is not Shape.STEP:
            return
        sign = Chip(
            Slot(self.row.id, ROW, STEP_SIGN),
            ChipEditor.PICK,
            curve.sign,
            "sign",
        )
        yield SentencePiece(SIGNS[curve.sign], PieceRole.CHIP, pill, sign)
        slot = Slot(self.row.id, ROW, STEP_THRESHOLD)
        threshold = Chip(
            slot,
            ChipEditor.NUMBER,
            curve.threshold,
            "threshold",
            None,
            Quantity("", step=0.1),
        )
        yield SentencePiece(
            number_text(curve.threshold), PieceRole.CHIP, pill, threshold
        )

    def _chip(
        self, param: Param, given: ParamValue | None, part: str, pill: Pill
    ) -> SentencePiece:
        if given is None:
            value = param.default
        else:
            value = given
        missing = value is None and param.required
        slot = Slot(self.row.id, part, param.name)
        chip = Chip(
            slot,
            _editor(param, value),
            value,
            param.label,
            param,
            param.quantity,
            None,
            missing,
        )
        if missing or value == "":
            text = f"{param.label}?"
        else:
            text = value_text(value, param.quantity.unit)
        if param.quantity.zero and value == 0:
            text = param.quantity.zero
        if param.type is ParamType.STATE and value:
            text = self.around.name_of(self.row, str(value))
        if param.type is ParamType.EVENT and isinstance(value, str):
            text = self._event_words(value, text)
        keyed = isinstance(value, KeyRef | PlaceRef) or param.type in _NAMED
        if keyed and not missing:
            role = PieceRole.KEY_CHIP
        else:
            role = PieceRole.CHIP
        return SentencePiece(
            text,
            role,
            pill,
            chip,
        )

    def _event_words(self, event: str, otherwise: str) -> str:
        """What a transition waits for besides the events in the list."""
        before, _, state = event.rpartition(".")
        if before == STATE_DONE:
            return f"{self.around.name_of(self.row, state)} is done"
        if event == ANY_EVENT:
            return "any"
        return otherwise

    def _says(self, formula: str) -> bool:
        """Whether the row's name is the very formula that it holds."""
        return self.row.name == formula and not self.in_full

    def _condition_chip(
        self,
        part: str,
        param: str,
        when: str,
        editor: ChipEditor = ChipEditor.CONDITION,
    ) -> Chip:
        return Chip(Slot(self.row.id, part, param), editor, when, str(editor))

    def _condition(
        self,
        part: str,
        param: str,
        when: str,
        pill: Pill,
        editor: ChipEditor = ChipEditor.CONDITION,
    ) -> Iterator[SentencePiece]:
        chip = self._condition_chip(part, param, when, editor)
        try:
            said = pieces(parse(when), self.catalog)
        except LanguageError:
            yield SentencePiece(
                when or f"{editor}?", PieceRole.WORDS, pill, chip
            )
            return
        for piece in said:
            yield self._said(piece, chip, pill)

    def _said(
        self, piece: PhrasePiece, chip: Chip, pill: Pill
    ) -> SentencePiece:
        if piece.kind is PhrasePieceKind.NUMBER:
            chip = Chip(
                chip.slot,
                ChipEditor.NUMBER,
                piece.value,
                "number",
                None,
                piece.quantity,
                piece.span,
            )
            return SentencePiece(piece.text, PieceRole.CHIP, pill, chip)
        if piece.kind is PhrasePieceKind.KEY:
            role = PieceRole.KEY_WORD
        else:
            role = PieceRole.WORDS
        return SentencePiece(piece.text, role, pill, chip)


_NAMED = (
    ParamType.AGENT,
    ParamType.PROP,
    ParamType.KEY,
    ParamType.GROUP,
    ParamType.STATE,
    ParamType.EVENT,
    ParamType.BEHAVIOR,
)

NAMELESS = (Family.TRANSITION, Family.CONSIDERATION, Family.HOOK)
"""The families whose rows say what they are without a name."""


def _shows_kind(kind: Kind) -> bool:
    return kind.family in (
        Family.COMPOSITE,
        Family.STATE,
        Family.HOOK,
        Family.CONSIDERATION,
    )


def _editor(param: Param, value: ParamValue | None) -> ChipEditor:
    if param.type in (ParamType.NUMBER, ParamType.SPREAD):
        if isinstance(value, KeyRef):
            return ChipEditor.PICK
        return ChipEditor.NUMBER
    if param.type is ParamType.TEXT:
        if isinstance(value, KeyRef):
            return ChipEditor.PICK
        return ChipEditor.TEXT
    return _EDITORS.get(param.type, ChipEditor.PICK)


_EDITORS = {
    ParamType.CONDITION: ChipEditor.CONDITION,
    ParamType.FORMULA: ChipEditor.FORMULA,
    ParamType.CURVE: ChipEditor.CURVE,
}


def number_of(value: ParamValue | None) -> float:
    """The number a chip is dragged from: a spread's middle."""
    if isinstance(value, Spread):
        return value.mean
    if isinstance(value, int | float):
        return float(value)
    return 0.0
