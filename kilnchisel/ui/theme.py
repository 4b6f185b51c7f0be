"""The look: paper, ink, fired clay, one glaze; by day and by evening."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

from kilnchisel.core.paths import RESOURCES

BODY_PX, SMALL_PX, HEADING_PX = 13, 12, 15


@dataclass(frozen=True)
class Theme:
    """The colours of one time of day."""

    name: str
    paper: str
    card: str
    ink: str
    pencil: str
    line: str
    clay: str
    on_clay: str
    clay_wash: str
    glaze: str
    amber: str
    brick: str
    surround: str
    field: str


DAY = Theme(
    "day",
    paper="#F5F1E8",
    card="#FFFDF8",
    ink="#26221D",
    pencil="#6B6257",
    line="#D9D0C1",
    clay="#B24E29",
    on_clay="#FFFDF8",
    clay_wash="#F6E6DB",
    glaze="#1F7A74",
    amber="#8F5D0E",
    brick="#A3282B",
    surround="#8C8B89",
    field="#F8F4EB",
)
EVENING = Theme(
    "evening",
    paper="#211E1B",
    card="#2A2622",
    ink="#EFE8DB",
    pencil="#B3A999",
    line="#443E37",
    clay="#E28A5E",
    on_clay="#241A14",
    clay_wash="#453027",
    glaze="#5FC0B7",
    amber="#E0AE57",
    brick="#F08E88",
    surround="#161514",
    field="#332E29",
)
THEMES = {theme.name: theme for theme in (DAY, EVENING)}


OTHER_SCRIPTS = (
    "amiri/Amiri-Bold.ttf",
    "frank-ruhl-libre/FrankRuhlLibre-Bold.ttf",
    "biz-udpgothic-subset/BIZUDPGothic-Bold-subset.ttf",
)


@lru_cache(maxsize=1)
def _family() -> str:
    families: list[str] = []
    for weight in ("400", "500", "600"):
        path = RESOURCES / "interface-font" / f"Commissioner-{weight}.ttf"
        number = QFontDatabase.addApplicationFont(str(path))
        families += QFontDatabase.applicationFontFamilies(number)
    for script in OTHER_SCRIPTS:  # so that words of these scripts can be read in the ticket
        QFontDatabase.addApplicationFont(str(RESOURCES / "fonts" / script))
    return families[0] if families else "sans-serif"


def font(pixels: int = BODY_PX, weight: int = 400) -> QFont:
    """The interface face with figures of equal width."""
    made = QFont(_family())
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def apply(app: QApplication, theme: Theme) -> None:
    """Dress the whole application."""
    app.setFont(font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.paper,
        QPalette.ColorRole.Base: theme.card,
        QPalette.ColorRole.AlternateBase: theme.paper,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Button: theme.card,
        QPalette.ColorRole.Highlight: theme.clay,
        QPalette.ColorRole.HighlightedText: theme.on_clay,
        QPalette.ColorRole.ToolTipBase: theme.card,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.pencil,
        QPalette.ColorRole.Link: theme.clay,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet("")  # taken off first: one sheet after another takes four times as long
    app.setStyleSheet(_sheet(theme))


def _sheet(t: Theme) -> str:
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, #paper, QDialog {{ background: {t.paper}; }}
    #card {{ background: {t.card}; }}
    QFrame#kind {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; }}
    QFrame#kind[chosen="true"] {{ border: 1px solid {t.clay}; background: {t.clay_wash}; }}
    QFrame#kind:disabled {{ background: {t.paper}; }}
    #topbar {{ background: {t.paper}; border-bottom: 1px solid {t.line}; }}
    QWidget#strip {{ background: {t.paper}; border: none; }}
    QToolButton#proof {{ border: 2px solid transparent; border-radius: 6px; padding: 2px;
        background: transparent; color: {t.pencil}; }}
    QToolButton#proof:hover {{ background: {t.clay_wash}; color: {t.ink}; }}
    QToolButton#proof:checked {{ border-color: {t.clay}; color: {t.ink}; }}
    QToolButton#proof:focus {{ border-color: {t.glaze}; }}
    #footbar {{ background: {t.paper}; border-top: 1px solid {t.line}; }}
    #ticket {{ background: {t.card}; border-right: 1px solid {t.line}; }}
    #readings {{ background: {t.paper}; border-left: 1px solid {t.line}; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QLabel#pencil, QLabel#small {{ color: {t.pencil}; }}
    QLabel#small, QLabel#refusal, QLabel#good, QLabel#warning, QLabel#failure
        {{ font-size: {SMALL_PX}px; }}
    QLabel#refusal, QLabel#failure {{ color: {t.brick}; }}
    QLabel#warning {{ color: {t.amber}; }}
    QLabel#good {{ color: {t.glaze}; }}
    QLabel#heading {{ font-size: {HEADING_PX}px; font-weight: 600; }}
    QTableView {{ background: {t.card}; border: 1px solid {t.line}; }}
    QTableView::item:selected {{ background: {t.clay_wash}; color: {t.ink}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.pencil}; border: none;
        border-bottom: 1px solid {t.line}; padding: 4px 3px; font-size: {SMALL_PX}px; }}
    QLabel#mast {{ font-size: 26px; font-weight: 600; }}
    QLabel#title {{ font-size: {BODY_PX}px; font-weight: 600; }}
    QLabel#figure {{ font-weight: 600; }}
    QFrame#rule {{ background: {t.line}; max-height: 1px; min-height: 1px; border: none; }}

    QPushButton {{ border: none; background: transparent; padding: 5px 8px; border-radius: 4px; }}
    QPushButton:hover {{ background: {t.clay_wash}; }}
    QPushButton:focus {{ outline: none; border: 1px solid {t.glaze}; }}
    QPushButton:disabled {{ color: {t.pencil}; background: transparent; }}
    QCheckBox {{ spacing: 8px; padding: 3px 0; }}
    QCheckBox:disabled {{ color: {t.pencil}; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; }}
    QCheckBox::indicator {{ border: 1px solid {t.pencil}; background: {t.field}; }}
    QCheckBox::indicator:checked {{ background: {t.clay}; border-color: {t.clay}; }}
    QCheckBox::indicator:disabled {{ border-color: {t.line}; background: transparent; }}
    QPushButton#link {{ color: {t.clay}; font-weight: 500; text-align: left; padding: 4px 6px; }}
    QPushButton#primary {{ background: {t.clay}; color: {t.on_clay}; font-weight: 600;
        padding: 7px 14px; }}
    QPushButton#object {{ background: {t.card}; border: 1px solid {t.line}; font-weight: 500;
        padding: 4px 10px 4px 5px; text-align: left; }}
    QPushButton#object:hover {{ background: {t.clay_wash}; border-color: {t.clay}; }}
    QPushButton#object:focus {{ border: 1px solid {t.glaze}; }}
    QPushButton#primary:hover {{ background: {t.ink}; color: {t.paper}; }}
    QPushButton#primary:disabled {{ background: {t.line}; color: {t.pencil}; }}
    QPushButton#section {{ text-align: left; padding: 0; border-radius: 0; }}
    QPushButton#section:hover {{ background: {t.clay_wash}; }}
    QPushButton#tab {{ padding: 4px 12px; border-radius: 0; border-bottom: 2px solid transparent;
        color: {t.pencil}; }}
    QPushButton#tab:checked {{ color: {t.ink}; border-bottom: 2px solid {t.clay}; font-weight: 600;
        background: transparent; }}
    QPushButton#tab:focus {{ border: 1px solid {t.glaze}; border-bottom: 2px solid {t.clay}; }}
    QPushButton#choice {{ padding: 4px 5px; font-size: {SMALL_PX}px;
        border: 1px solid {t.line}; border-radius: 0;
        background: {t.field}; color: {t.pencil}; margin: 0; }}
    QPushButton#choice:checked {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
    QPushButton#choice:focus {{ border: 1px solid {t.glaze}; }}
    QToolButton#tile {{ padding: 3px 2px; font-size: {SMALL_PX}px; border: 1px solid {t.line};
        border-radius: 0; background: {t.field}; color: {t.pencil}; margin: 0; }}
    QToolButton#tile:checked {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
    QToolButton#tile:focus {{ border: 1px solid {t.glaze}; }}
    QPushButton#menu {{ text-align: left; padding: 4px 6px; background: {t.field};
        border-bottom: 1px solid {t.pencil}; border-radius: 0; }}
    QPushButton#menu:focus {{ border: none; border-bottom: 2px solid {t.glaze}; padding-bottom: 3px; }}
    QPushButton#menu::menu-indicator {{ width: 0; }}
    QPushButton#group {{ text-align: left; padding: 0; border-radius: 0;
        border-top: 1px solid {t.line}; }}
    QPushButton#group:focus {{ border: 1px solid {t.glaze}; }}
    QLabel#groupname {{ font-weight: 500; }}
    QPushButton#letter {{ padding: 0; border: 1px solid {t.line}; border-radius: 3px;
        background: {t.field}; }}
    QPushButton#letter:checked {{ background: {t.clay}; color: {t.on_clay}; border-color: {t.clay}; }}
    QPushButton#letter:focus {{ border: 1px solid {t.glaze}; }}
    QPushButton#lettering {{ text-align: left; padding: 5px 8px; border-radius: 3px; }}
    QPushButton#lettering:checked {{ background: {t.clay_wash}; }}
    QPushButton#swatch {{ border: 1px solid {t.pencil}; border-radius: 3px; padding: 0; }}
    QPushButton#swatch:focus {{ border: 2px solid {t.glaze}; }}

    QLineEdit, QPlainTextEdit {{ background: {t.field}; border: none;
        border-bottom: 1px solid {t.pencil}; padding: 4px 6px; border-radius: 0;
        selection-background-color: {t.clay}; selection-color: {t.on_clay}; }}
    QLineEdit:focus, QPlainTextEdit:focus {{ border-bottom: 2px solid {t.glaze};
        padding-bottom: 3px; }}
    QLineEdit[refused="true"] {{ border-bottom: 2px solid {t.brick}; padding-bottom: 3px; }}
    QLineEdit#name {{ background: transparent; border-bottom: 1px solid transparent;
        font-size: {HEADING_PX}px; font-weight: 600; padding: 3px 4px; }}
    QLineEdit#name:hover {{ border-bottom: 1px solid {t.line}; }}
    QLineEdit#name:focus {{ border-bottom: 2px solid {t.glaze}; }}

    QProgressBar {{ background: {t.line}; border: none; max-height: 4px; min-height: 4px; }}
    QProgressBar::chunk {{ background: {t.glaze}; }}
    QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 6px 0; }}
    QMenu::item {{ padding: 6px 28px 6px 16px; }}
    QMenu#looks::item {{ padding: 2px 20px 2px 10px; }}
    QMenu#looks::icon {{ padding-left: 8px; }}
    QMenu::item:selected {{ background: {t.clay_wash}; color: {t.ink}; }}
    QMenu::item:disabled {{ color: {t.pencil}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 5px 0; }}
    QListWidget {{ background: {t.card}; border: 1px solid {t.line}; outline: none; }}
    QListWidget::item {{ padding: 6px 8px; }}
    QListWidget::item:selected {{ background: {t.clay_wash}; color: {t.ink}; }}
    QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::handle:vertical:hover {{ background: {t.pencil}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page
        {{ height: 0; background: transparent; }}
    """


def plain(words: str) -> str:
    """Words for a button as they are: Qt would take an ampersand for an access key."""
    return words.replace("&", "&&")


def icon(name: str, theme: Theme, size: int = 20) -> QIcon:
    """One of our own line icons in the theme's ink."""
    return QIcon(drawing(name, theme.ink, size * 2))


@lru_cache(maxsize=256)
def look_icon(shelf: str, kind: str) -> QIcon:
    """What a choice looks like: a picture from a shelf of the resources ("objects", "looks/finishes");
    none for one that has no picture."""
    path = RESOURCES / shelf / f"{kind.lower().replace(' ', '-')}.png"
    return QIcon(str(path)) if path.is_file() else QIcon()


@lru_cache(maxsize=128)
def drawing(name: str, colour: str, pixels: int) -> QPixmap:
    """An icon as a picture in one colour."""
    source = (RESOURCES / "icons" / f"{name}.svg").read_text().replace("currentColor", colour)
    renderer = QSvgRenderer(QByteArray(source.encode()))
    picture = QPixmap(pixels, pixels)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer.render(painter, QRectF(0, 0, pixels, pixels))
    painter.end()
    return picture
