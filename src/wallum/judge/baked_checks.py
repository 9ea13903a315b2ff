"""What is wrong with baked light: it is not there, not as things are now, or counts twice."""

from collections.abc import Iterator

from wallum.document.paths import slug_of
from wallum.document.project import Project
from wallum.judge.findings import Finding, Remedy
from wallum.moment.baked import baked_state, changed_since, still_alone
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import own_moment
from wallum.moment.static_sources import still_ids
from wallum.transport.field.baked_light import BakedLight

__all__ = ["baked_light"]

STALE, TWICE = "baked light stale", "baked and live"
BY_PROBES = Remedy("show light from around by probes, or bake it anew", {"look/indirect": "probes"})


def baked_light(project: Project, baked: BakedLight | None, fits: bool) -> Iterator[Finding]:
    """Findings about a project's baked light; fits : whether it was baked of the level as it is."""
    shown = project.look.indirect == "lightmaps"
    if shown and (baked is None or not fits):
        why = "no light is baked" if baked is None else "the level was another one when its light was baked"
        yield Finding(STALE, project.level, "error", f"Baked light is to be shown, but {why}", BY_PROBES)
    if shown and project.target.baked == "no":
        text = f"Baked light is to be shown, but {project.target.name} can show none"
        yield Finding("baked light", project.target.name, "error", text, BY_PROBES)
    if baked is None or not fits or not shown:
        return
    scene = evaluate(project, own_moment(project))
    sources = {source.id: source for source in project.resolved_sources}
    twice = [source for source in sources.values() if source.id in baked.state and source.baked == "live"]
    for item in twice:
        remedy = Remedy("have it still, or bake anew", {f"sources/@{item.id}/baked": "still"})
        text = f"{item.name} is live, and its light is baked too: it counts twice"
        yield Finding(TWICE, f"sources/{slug_of(project, 'sources', item.id)}", "error", text, remedy)
    state = baked_state(still_alone(scene, still_ids(project)))
    live = {item.id for item in twice}
    changed = [item for item in changed_since(baked.state, state) if item not in live]
    if changed:
        names = list(dict.fromkeys(sources[item].name if item in sources else "glow" for item in changed))
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        text = f"{', '.join(names[:3])}{more} changed since the light was baked (as at {baked.when})"
        yield Finding(STALE, project.level, "warning", text, BY_PROBES)
