"""Shader programs: real files, includes, and a compiled variant for each set of features."""

import re
from functools import lru_cache
from importlib import resources

import moderngl

from wallum.errors import RendererProblem

__all__ = ["Programs", "source_of"]

INCLUDE = re.compile(r'^#include "([\w.]+)"$', re.MULTILINE)


@lru_cache(maxsize=64)
def _text(name: str) -> str:
    return resources.files("wallum.realtime").joinpath("shaders", name).read_text("utf-8")


def source_of(name: str, features: frozenset[str] = frozenset()) -> str:
    """Text of a shader with its includes put in and its features defined."""
    text = INCLUDE.sub(lambda found: _text(f"include/{found[1]}"), _text(name))
    version, _, body = text.partition("\n")
    defines = "".join(f"#define {feature}\n" for feature in sorted(features))
    return f"{version}\n{defines}{body}"


class Programs:
    """Compiles each variant once."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._kept: dict[tuple[str, str, frozenset[str]], moderngl.Program] = {}

    def get(self, vertex: str, fragment: str, features: frozenset[str] = frozenset()) -> moderngl.Program:
        """The program of two shader files with these features. Raises RendererProblem."""
        key = (vertex, fragment, features)
        if key not in self._kept:
            try:
                self._kept[key] = self._context.program(
                    vertex_shader=source_of(f"{vertex}.vert.glsl", features),
                    fragment_shader=source_of(f"{fragment}.frag.glsl", features),
                )
            except moderngl.Error as error:
                where = f"{fragment} {sorted(features)}"
                raise RendererProblem(f"a shader does not compile: {error}", where) from None
        return self._kept[key]

    def __len__(self) -> int:
        return len(self._kept)


def set_uniforms(program: moderngl.Program, **values: object) -> None:
    """Set the uniforms that this variant kept; a compiler drops those it does not use."""
    for name, value in values.items():
        member = program.get(name, None)
        if isinstance(member, moderngl.Uniform):
            if isinstance(value, bytes):
                member.write(value)
            else:
                member.value = value
