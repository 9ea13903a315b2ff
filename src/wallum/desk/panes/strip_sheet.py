"""What lights this level: everything that gives light, with its share; and stripping it away."""

from wallum.desk.panes.balance import BalanceView
from wallum.desk.session.session import Session
from wallum.desk.widgets.sheet import Line, Sheet
from wallum.document.stripping import AIR_KEY, LEVEL_KEYS, light_givers, stripped
from wallum.level.model.model import Level
from wallum.moment.scene import AIR_ID, GLOW_ID, UNLIT_ID

__all__ = ["StripSheet", "brought_along"]


def brought_along(level: Level) -> dict[str, str]:
    """What of a level's own light and painted light there is, by key: how much, in words."""
    out = {}
    glowing = [material.name for material in level.materials if max(material.glow) > 0.0]
    unlit = [material.name for material in level.materials if material.unlit]
    painted = sum(any(p.colours is not None for p in mesh.primitives) for mesh in level.meshes)
    baked = [material.name for material in level.materials if "occlusion" in material.textures]
    for key, names in (("glow", glowing), ("unlit", unlit), ("occlusion", baked)):
        if names:
            more = f" and {len(names) - 3} more" if len(names) > 3 else ""
            out[key] = ", ".join(names[:3]) + more
    if painted:
        out["vertex colours"] = f"in {painted} meshes"
    return out


TITLES = {
    "glow": ("Glowing surfaces", GLOW_ID),
    "unlit": ("Unlit surfaces", UNLIT_ID),
    "vertex colours": ("Vertex colours", ""),
    "occlusion": ("Occlusion maps", ""),
}


class StripSheet:
    """Fills the sheet; stripping is one step of undo."""

    def __init__(self, session: Session, sheet: Sheet, balance: BalanceView) -> None:
        self._session, self._sheet, self._balance = session, sheet, balance

    def _share(self, key: str) -> str:
        inputs = self._balance.given.get(key)
        if inputs is None:
            return "no light in this picture"
        share = f"{inputs.share:.1%}" if inputs.share >= 0.0005 else "< 0.1 %"
        return f"{share} of the light, seen in {inputs.seen:.0%}"

    def lines(self) -> list[Line]:
        """Everything that gives light, strongest share first within its kind."""
        project, level = self._session.project, self._session.level
        keys = set(light_givers(project))
        inputs = self._balance.given
        sources = sorted(
            (source for source in project.resolved_sources if source.id in keys),
            key=lambda source: -(inputs[source.id].share if source.id in inputs else 0.0),
        )
        out = [Line(source.name, self._share(source.id), source.id, ticked=True) for source in sources]
        if AIR_KEY in keys:
            out.append(Line("Air", self._share(AIR_ID), AIR_KEY, ticked=True))
        brought = brought_along(level.plain) if level is not None else {}
        for key in LEVEL_KEYS:
            if key in brought and key in keys:
                title, share_of = TITLES[key]
                share = f"; {self._share(share_of)}" if share_of else "; colours what is lit"
                out.append(Line(title, brought[key] + share, key, ticked=True))
        return out

    def open(self) -> None:
        """Show what lights this level."""
        lines = self.lines()
        if not lines:
            self._sheet.open("What lights this level", [Line("Nothing: it is dark")])
            return
        stale = "  (shares of the picture before)" if self._balance.stale else ""
        buttons = [("Strip what is ticked", self._strip_ticked), ("Strip all to dark", self._strip_all)]
        self._sheet.open(f"What lights this level{stale}", lines, buttons)

    def _strip_ticked(self) -> None:
        self._strip(self._sheet.ticked())

    def _strip_all(self) -> None:
        self._strip(light_givers(self._session.history.present))

    def _strip(self, keys: list[str]) -> None:
        if not keys:
            self._session.told.emit("Nothing was ticked, nothing is stripped")
            return
        project = stripped(self._session.history.present, keys)
        whole = len(keys) == len(light_givers(self._session.history.present))
        label = "strip to dark" if whole else f"strip {len(keys)} of what gives light"
        self._session.history.edit(label, project)
        self._session.told.emit(f"{label[0].upper()}{label[1:]}; undo brings it back")
