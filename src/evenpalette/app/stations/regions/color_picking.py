"""A region of a color that the pointer chooses, shown before it is made."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.session import Session
from evenpalette.app.views import Pick, TwinViews
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits import regions as edit
from evenpalette.core.regions.dividing.flags import to_rgb8
from evenpalette.gpu.look import Show


class ColorPicking(QObject):
    """Picks a color of the ID map, or of the painted color where Flat shows it or there is no map. home: the division
    that the region goes into."""

    #: A region was made and is the subject now.
    made = pyqtSignal()

    def __init__(self, session: Session, views: TwinViews, home: Callable[[], str], parent: QObject) -> None:
        super().__init__(parent)
        self._session, self._views, self._home = session, views, home
        self._hovered: tuple[str, str, tuple[float, float]] = ("", "", (0.0, 0.0))
        self._preview = Newest(session, "Looking", 40, self._wish, self)

    def begin(self) -> None:
        """Let the pointer choose."""
        texture = self._pick_texture()
        raster = self._session.state.textures.get(texture.id) if texture is not None else None
        if texture is None or raster is None:
            self._session.said.emit(
                "There is no ID map and no painted texture to pick from. Say at Asset what the textures hold.", True
            )
            return
        self._views.start_pick_of(Pick(
            lambda color: self._take_color(texture.id, color), to_rgb8(raster.pixels), texture.name,
            lambda color, uv: self._hover(texture.id, color, uv), self._end_preview,
        ))  # fmt: skip

    def _hover(self, texture_id: str, color: str, uv: tuple[float, float]) -> None:
        """Show what a region of the color under the pointer would cover."""
        if (texture_id, color) != self._hovered[:2]:
            self._hovered = texture_id, color, uv
            self._preview.ask()

    def _wish(self) -> Wish | None:
        texture_id, color, uv = self._hovered
        if not color:
            return None
        state, home = self._session.state, self._home()

        def show(made: State) -> None:
            if self._hovered[1] and self._session.state is state:
                self._views.show_live(made)

        return lambda: edit.add_flag_region(state, texture_id, color, uv, *self._reach(texture_id), division=home), show

    def _reach(self, texture_id: str) -> tuple[float, float]:
        """Near and far of a picked color: flags lie far apart, the colors of a painting near each other."""
        texture = self._session.state.project.asset.texture(texture_id)
        return (48.0, 208.0) if texture is not None and texture.role is Role.ID_MAP else (20.0, 60.0)

    def _end_preview(self) -> None:
        self._hovered = "", "", (0.0, 0.0)
        self._views.show_live(None)

    def _pick_texture(self) -> Texture | None:
        """What colors are picked from: the painted color where Flat shows it or where there is no ID map, else the
        first ID map."""
        asset = self._session.state.project.asset
        painted = asset.texture(self._session.state.project.tone.painted) or next(
            iter(asset.with_role(Role.PAINTED)), None
        )
        maps = asset.with_role(Role.ID_MAP)
        shows_paint = self._views.headers.flat_stage.currentData() is Show.PAINTED
        return painted if painted is not None and (shows_paint or not maps) else maps[0] if maps else None

    def _take_color(self, texture_id: str, color: str) -> None:
        """Make a region of the stored color under the pointer, not the drawn one, which is filtered."""
        place, home = self._views.spot, self._home()
        before, reach = set(self._session.state.region_ids), self._reach(texture_id)

        def then() -> None:
            new = [r for r in self._session.state.region_ids if r not in before]
            if new:
                self._session.selection.select_region(new[0])
                self.made.emit()

        self._session.run(
            f"Region from {color}",
            lambda s, _: edit.add_flag_region(s, texture_id, color, place, *reach, division=home),
            then,
        )
