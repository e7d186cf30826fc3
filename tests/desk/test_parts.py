"""The smaller parts of the window, each on its own."""

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QRectF, QTemporaryDir
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QComboBox, QLineEdit, QPlainTextEdit, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import DEMO
from tests.small import key, row
from tests.waiting import PATIENCE_MS
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import RUNS
from umbrant.catalog.validation import open_project
from umbrant.desk.chips.layout import Fonts, SentenceFlow
from umbrant.desk.chips.sentence import sentence
from umbrant.desk.commands.action import Action
from umbrant.desk.commands.registry import by_id
from umbrant.desk.commands.rows import fold
from umbrant.desk.session.roller import Roller
from umbrant.desk.session.settings import MOST_RECENT, Settings
from umbrant.desk.session.shown import TapeWindow
from umbrant.desk.session.visits import folder_for_takes, folder_template
from umbrant.desk.views.ledger.search import offers, ranked
from umbrant.desk.views.stage.rings import Ring, rings
from umbrant.desk.widgets.icons import icon
from umbrant.desk.widgets.pixmaps import PixmapCache
from umbrant.desk.widgets.theme import DAY, NIGHT, Palette, style_sheet
from umbrant.model.values import Point
from umbrant.rolling.roll import RollOrder


class TestTapeWindow:
    def window(self) -> TapeWindow:
        tape = TapeWindow()
        tape.fit(840, 20)
        return tape

    def test_it_begins_with_fourteen_seconds(self) -> None:
        assert (self.window().start, self.window().end) == (0, 280)

    def test_it_moves_just_far_enough_to_show_a_tick(self) -> None:
        tape = self.window()
        tape.show(100)
        assert tape.start == 0
        tape.show(275)
        assert 0 < tape.start < 100
        tape.show(700)
        assert tape.start <= 700 <= tape.end
        tape.show(10)
        assert tape.start == 0

    def test_zooming_keeps_the_tick_it_zooms_around_in_place(self) -> None:
        tape = self.window()
        tape.move(100)
        before = (240 - tape.start) / tape.length
        tape.zoom(0.5, 240)
        assert (240 - tape.start) / tape.length == pytest.approx(before)
        assert tape.length == 140

    def test_it_never_leaves_the_take_nor_gets_too_short(self) -> None:
        tape = self.window()
        tape.move(-1000)
        assert tape.start == 0
        tape.move(5000)
        assert tape.end == 840
        tape.zoom(100, 300)
        assert (tape.start, tape.length) == (0, 840)
        tape.zoom(1e-6, 300)
        assert tape.length == 10

    def test_a_shorter_take_pulls_it_back(self, qtbot: QtBot) -> None:
        tape = self.window()
        tape.move(500)
        with qtbot.waitSignal(tape.changed, timeout=PATIENCE_MS):
            tape.fit(100, 20)
        assert (tape.start, tape.end) == (0, 100)


class TestSearch:
    def names(self, typed: str, *, for_row: bool = True) -> list[str]:
        chosen = BUILTIN.kinds["wait"] if for_row else None
        return [
            f"{offer.place} {offer.kind.id}"
            for offer in ranked(typed, offers(BUILTIN, None, chosen))
        ]

    def inside(self, holder: str) -> list[str]:
        return [
            offer.kind.id
            for offer in offers(BUILTIN, BUILTIN.kinds[holder], None)
        ]

    def test_everything_is_offered_until_something_is_typed(self) -> None:
        assert len(self.names("", for_row=False)) == len(BUILTIN.family(*RUNS))
        assert "decorator cooldown" in self.names("")
        assert "upkeep look_out" in self.names("")
        assert "decorator cooldown" not in self.names("", for_row=False)

    def test_what_begins_with_the_typed_text_comes_first(self) -> None:
        assert self.names("wai")[0] == "action wait"
        assert set(self.names("look")[:3]) == {
            "action look_out",
            "upkeep look_out",
            "action look_about",
        }

    def test_what_is_offered_depends_on_where_it_would_stand(self) -> None:
        assert self.inside("machine")[:4] == [
            "state",
            "regions",
            "final",
            "history",
        ]
        assert "wait" not in self.inside("machine")
        assert {"wait", "after", "on_enter"} <= set(self.inside("state"))
        assert self.inside("utility") == ["option"]
        assert {"consider", "wait"} <= set(self.inside("option"))
        assert "clear" in self.inside("on_enter")
        assert "wait" not in self.inside("on_enter"), "it takes time"

    def test_a_slip_of_the_finger_and_a_word_of_the_help_still_find_it(
        self,
    ) -> None:
        assert "composite selector" in self.names("selectr")
        assert "action say" in self.names(
            "speak"
        ) or "action say" in self.names("says something")

    def test_nonsense_finds_nothing(self) -> None:
        assert self.names("qqqzzz") == []


class TestRings:
    here: Point = (5.0, 5.0)

    def found(self, made: object, **values: object) -> list[Ring]:
        places = {"v": (9.0, 9.0), "gate": (1.0, 1.0)}
        return list(rings(made, BUILTIN, values, self.here, places.get))  # type: ignore[arg-type]

    def test_a_reach_is_around_the_target_and_a_range_around_the_agent(
        self,
    ) -> None:
        move = row(
            "r1",
            "move_to",
            target=key("spot"),
            reach=0.6,
            guard="can_see(visitor, within=8)",
        )
        assert self.found(move, spot=(7.0, 7.0)) == [
            Ring((7.0, 7.0), 0.6),
            Ring(self.here, 8.0),
        ]

    def test_a_key_that_names_someone_stands_for_where_that_one_is(
        self,
    ) -> None:
        assert self.found(row("r1", "follow", target=key("who")), who="v") == [
            Ring((9.0, 9.0), 1.5)
        ]

    def test_a_distance_that_is_compared_is_a_range(self) -> None:
        assert self.found(
            row("r1", "check", when="distance(v) < 3 and n > 2")
        ) == [Ring(self.here, 3.0)]

    def test_what_is_unknown_makes_no_ring(self) -> None:
        assert self.found(row("r1", "move_to", target=key("spot"))) == []
        assert self.found(row("r1", "fly")) == []
        assert self.found(row("r1", "wait", guard="1 +")) == []


class TestLayout:
    def test_a_row_that_fits_is_one_line_and_else_several(
        self, qtbot: QtBot
    ) -> None:
        made = row(
            "r1",
            "move_to",
            name="Go there",
            target=key("last_seen"),
            reach=0.6,
            guard="is_set(last_seen)",
        )
        pieces = sentence(made, BUILTIN)
        wide, narrow = (
            SentenceFlow(Fonts.make(), 800).lay_out(pieces, 1),
            SentenceFlow(Fonts.make(), 240).lay_out(pieces, 1),
        )
        assert wide.height == 34
        assert narrow.height > 34
        assert len({each.rect.top() for each in wide.placed}) == 1
        assert max(each.rect.right() for each in narrow.placed) <= 240

    def test_compact_rows_are_lower(self, qtbot: QtBot) -> None:
        assert (
            SentenceFlow(Fonts.make(), 800, compact=True)
            .lay_out(sentence(row("r1", "wait"), BUILTIN), 0)
            .height
            == 26
        )

    def test_deeper_rows_stand_further_in(self, qtbot: QtBot) -> None:
        flow, pieces = (
            SentenceFlow(Fonts.make(), 800),
            sentence(row("r1", "wait"), BUILTIN),
        )
        assert (
            flow.lay_out(pieces, 2).indent_x - flow.lay_out(pieces, 1).indent_x
            == 16
        )

    def test_a_chip_is_found_under_the_mouse(self, qtbot: QtBot) -> None:
        layout = SentenceFlow(Fonts.make(), 800).lay_out(
            sentence(row("r1", "wait", duration=2.0), BUILTIN), 0
        )
        chip, rect = layout.chips()[1]
        assert layout.chip_at(rect.center()) == (chip, rect)
        assert (
            layout.chip_at(
                rect.center() + (rect.bottomRight() - rect.topLeft()) * 3
            )
            is None
        )


class TestPictures:
    def test_a_picture_is_painted_again_only_when_its_key_or_size_changes(
        self, qtbot: QtBot
    ) -> None:
        painted: list[float] = []
        pictures, image = (
            PixmapCache(),
            QImage(50, 50, QImage.Format.Format_RGB32),
        )
        painter = QPainter(image)
        for size, picture_key in ((10, 1), (10, 1), (10, 2), (20, 2), (20, 2)):
            box = QRectF(0, 0, size, size)
            pictures.draw(
                painter,
                box,
                "name",
                picture_key,
                lambda p, at: painted.append(at.width()),
            )
        painter.end()
        assert painted == [10, 10, 20]

    def test_an_empty_box_paints_nothing(self, qtbot: QtBot) -> None:
        painter = QPainter(image := QImage(50, 50, QImage.Format.Format_RGB32))
        PixmapCache().draw(
            painter,
            QRectF(0, 0, 0, 10),
            "name",
            1,
            lambda p, at: pytest.fail("painted"),
        )
        painter.end()
        assert not image.isNull()


class TestRoller:
    def order(
        self, tmp_path: Path, name: str = "t", seconds: float = 0.5
    ) -> RollOrder:
        return RollOrder(
            open_project(DEMO),
            "dusk",
            tmp_path / f"{name}.take",
            None,
            seconds,
        )

    def test_only_the_newest_order_is_told_of(
        self, qtbot: QtBot, tmp_path: Path
    ) -> None:
        roller, takes = Roller(), []
        roller.rolled.connect(lambda reply: takes.append(reply.take.name))
        for name in ("a", "b", "c"):
            roller.order(self.order(tmp_path, name, 20.0))
        assert roller.busy
        qtbot.waitUntil(lambda: not roller.busy, timeout=PATIENCE_MS)
        assert takes == ["c.take"]
        roller.close()

    def test_a_failed_order_is_told_and_the_worker_goes_on(
        self, qtbot: QtBot, tmp_path: Path
    ) -> None:
        (tmp_path / "file").write_text("")
        roller, failed, takes = Roller(), [], []
        roller.failed.connect(failed.append)
        roller.rolled.connect(takes.append)
        roller.order(self.order(tmp_path / "file"))
        qtbot.waitUntil(lambda: bool(failed), timeout=PATIENCE_MS)
        assert "cannot be written" in failed[0]
        process = roller.process_id
        roller.order(self.order(tmp_path))
        qtbot.waitUntil(lambda: bool(takes), timeout=PATIENCE_MS)
        assert roller.process_id == process
        roller.close()

    def test_a_worker_that_cannot_be_started_is_told(
        self, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr(Roller, "COMMAND", ("/no/such/python",))
        roller, failed = Roller(), []
        roller.failed.connect(failed.append)
        with qtbot.captureExceptions():
            roller.order(self.order(tmp_path))
            qtbot.waitUntil(lambda: bool(failed), timeout=PATIENCE_MS)
        assert "could not be started" in failed[0]
        assert not roller.busy


class TestSettings:
    def test_the_projects_opened_last_come_first_and_only_so_many(
        self, tmp_path: Path
    ) -> None:
        settings = Settings(tmp_path / "window.ini")
        assert settings.recent == []
        for number in range(12):
            settings.opened(tmp_path / str(number))
        settings.opened(tmp_path / "7")
        assert settings.recent[:3] == [
            tmp_path / "7",
            tmp_path / "11",
            tmp_path / "10",
        ]
        assert len(settings.recent) == MOST_RECENT

    def test_they_are_kept_for_the_next_visit(self, tmp_path: Path) -> None:
        first = Settings(tmp_path / "window.ini")
        first.opened(tmp_path)
        first.set_flag("night", True)
        first._store.sync()
        later = Settings(tmp_path / "window.ini")
        assert later.recent == [tmp_path]
        assert later.flag("night")
        assert not later.flag("compact")

    def test_a_damaged_file_counts_as_never_set(self, tmp_path: Path) -> None:
        (tmp_path / "window.ini").write_bytes(b"\x00\xff[[[recent=@Invalid")
        settings = Settings(tmp_path / "window.ini")
        assert settings.recent == []
        assert settings.state("window") is None


class TestVisits:
    def test_what_a_crashed_visit_left_is_removed_and_a_living_ones_is_kept(
        self, own_folders: Path
    ) -> None:
        visits = own_folders / "cache" / "umbrant" / "visits"
        dead, alive, other = (
            visits / "4194304999-x",
            visits / f"{os.getppid()}-y",
            visits / "notes",
        )
        for folder in (dead, alive, other):
            folder.mkdir(parents=True)
        made = folder_for_takes()
        assert made.parent == visits
        assert made.name.startswith(f"{os.getpid()}-")
        assert alive.exists()
        assert other.exists()

    def test_the_folder_of_a_process_that_is_gone_goes(
        self, own_folders: Path
    ) -> None:
        ended = subprocess.Popen([sys.executable, "-c", ""])
        ended.wait()
        left = own_folders / "cache" / "umbrant" / "visits" / f"{ended.pid}-x"
        left.mkdir(parents=True)
        folder_for_takes()
        assert not left.exists()

    def test_nothing_stays_of_a_window_that_is_killed(
        self, own_folders: Path, tmp_path: Path
    ) -> None:
        script = (
            "import os, signal\n"
            "from pathlib import Path\n"
            "from PySide6.QtWidgets import QApplication\n"
            "from umbrant.desk.session.settings import Settings\n"
            "from umbrant.desk.window import MainWindow\n"
            "application = QApplication([])\n"
            "window = MainWindow(Settings(Path('window.ini')))\n"
            "os.kill(os.getpid(), signal.SIGKILL)\n"
        )
        temporary = tmp_path / "temporary"
        temporary.mkdir()
        killed = subprocess.run(
            [sys.executable, "-c", script],
            cwd=tmp_path,
            env={**os.environ, "TMPDIR": str(temporary)},
            check=False,
        )
        assert killed.returncode == -signal.SIGKILL
        assert list(temporary.iterdir()) == []
        visits = own_folders / "cache" / "umbrant" / "visits"
        assert len(list(visits.iterdir())) > 1
        made = folder_for_takes()
        assert list(visits.iterdir()) == [made]

    def test_without_a_cache_the_takes_lie_in_the_temporary_folder(
        self, own_folders: Path
    ) -> None:
        (own_folders / "cache").write_text("in the way")
        made = folder_for_takes()
        assert made.is_dir()
        made.rmdir()
        found = QTemporaryDir(folder_template())
        assert found.isValid()
        assert Path(found.path()).parent == made.parent

    def test_nor_do_they_lie_in_a_cache_that_may_not_be_written(
        self, own_folders: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr(os, "access", lambda path, mode: False)
        made = folder_for_takes()
        found = QTemporaryDir(folder_template())
        assert found.isValid()
        assert made.parent == Path(found.path()).parent
        assert not made.is_relative_to(own_folders)
        made.rmdir()


class TestActions:
    def action(self, name: str, *keys: str) -> Action:
        return Action(name, "Row", name, "help", fold, keys)

    def test_an_id_or_a_key_that_is_taken_is_a_mistake(self) -> None:
        with pytest.raises(ValueError, match="two actions"):
            by_id((self.action("one"), self.action("one")))
        with pytest.raises(ValueError, match="Ctrl\\+K"):
            by_id(
                (self.action("one", "Ctrl+K"), self.action("other", "Ctrl+K"))
            )


class TestLooks:
    def test_night_has_every_role_of_day_and_is_dark(self) -> None:
        for role in Palette.__dataclass_fields__:
            assert getattr(NIGHT, role)
        assert NIGHT.sheet.lightness() < 60 < DAY.sheet.lightness()
        assert len(NIGHT.leads) == len(DAY.leads)

    @pytest.mark.parametrize("palette", [DAY, NIGHT])
    def test_text_stands_out_from_what_it_is_written_on(
        self, palette: Palette
    ) -> None:
        for ink, ground, least in (
            (palette.ink, palette.sheet, 7.0),
            (palette.ink, palette.selection, 7.0),
            (palette.dim, palette.ground, 4.0),
            (palette.refused, palette.sheet, 4.0),
            (palette.success, palette.sheet, 3.5),
            (palette.button_ink, palette.button, 7.0),
        ):
            assert contrast(ink, ground) >= least

    @pytest.mark.parametrize("palette", [DAY, NIGHT], ids=["day", "night"])
    @pytest.mark.parametrize("kind", [QLineEdit, QPlainTextEdit, QComboBox])
    def test_what_is_typed_into_a_dialog_stands_out(
        self, qtbot: QtBot, palette: Palette, kind: type[QWidget]
    ) -> None:
        """The fields of dialogs are the toolkit's own, so they take their
        colours from the sheet.
        """
        window = QWidget()
        qtbot.addWidget(window)
        window.setStyleSheet(style_sheet(palette))
        field = kind(window)
        field.resize(200, 60)
        window.show()
        ground = field.grab().toImage().pixelColor(110, 30)
        assert contrast(field.palette().text().color(), ground) >= 7.0

    def test_icons_are_drawn_in_the_palettes_colour(
        self, qtbot: QtBot
    ) -> None:
        image = icon("play", DAY.ink).pixmap(18, 18).toImage()
        assert (
            image.pixelColor(image.width() // 2, image.height() // 2)
            == DAY.ink
        )
        with pytest.raises(KeyError):
            icon("rewind", DAY.ink)


def contrast(one: object, other: object) -> float:
    """The contrast ratio of WCAG 2.2, section 1.4.3."""

    def luminance(colour: object) -> float:
        parts = [
            part / 12.92
            if part <= 0.04045
            else ((part + 0.055) / 1.055) ** 2.4
            for part in colour.getRgbF()[:3]
        ]  # type: ignore[attr-defined]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)
