"""What the light of a picture depends on, so that requests which differ in their look alone are known."""

import pickle
from dataclasses import replace
from typing import Final

from wallum.frame.views import INSPECTED
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest

__all__ = ["light_key"]

ANY_LOOK: Final = ResolvedLook(0.0)


def light_key(request: PictureRequest, scene: LitScene | None = None) -> bytes:
    """All that a picture shows beside its look and how it is exposed, to be compared.

    scene : in the place of the one that the request shows
    Alike only where nothing differs; that two differ does not say that their light does.
    """
    bare = replace(scene or request.shown_scene, look=ANY_LOOK)
    of = request.view_of if request.view in INSPECTED else ""  # what lights a picture is shown as it is
    messages = bare, request.camera, request.size, request.view, of, sorted(request.active)
    return pickle.dumps((*messages, request.detail, request.most), 5)
