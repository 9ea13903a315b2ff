"""Shader programs: real files, includes, and a compiled variant for each set of features.

Numbers that are the same for all pixels are written as uniforms in the fragment shaders. On a
software driver, which reads a uniform anew for every pixel at twenty times the cost of a value that
comes with the primitive, a vertex shader that has a `carry();` reads them and hands them on. A
graphics card keeps its uniforms: it reads them for nothing, and has less room to hand things on.
"""

import re
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources
from typing import TypeAlias

import moderngl

from wallum.errors import RendererProblem
from wallum.moment.kinds import SHADERS
from wallum.realtime.gl.lamp_schema import LAMP_WORDS, glsl_constants

__all__ = [
    "CELL_WORDS",
    "Programs",
    "bind_textures",
    "block_lamps",
    "carried",
    "cell_pages",
    "in_force",
    "is_software",
    "kind_feature",
    "set_uniforms",
    "source_of",
]

INCLUDE = re.compile(r'^#include "([\w./]+)"$', re.MULTILINE)
# What stands between is there once for each feature with this prefix, by its name and number; or once for
# each
# page of a cell that those need.
EACH = re.compile(r"^#each (KIND|PAGE)\n(.*?)^#end\n", re.MULTILINE | re.DOTALL)
KIND_PREFIX = "OF_"
# Included files may include others, so deep.
INCLUDE_DEPTH = 2
CONDITION = re.compile(r"^#(?:ifdef|ifndef) ([A-Z_]+)$|^#if ((?:defined\([A-Z_]+\)(?: \|\| )?)+)$")

CARRY = re.compile(r"^void main\(\) \{\n    carry\(\);$", re.MULTILINE)
SAMPLER = re.compile(r"^uniform [iu]?sampler\w+ (\w+);", re.MULTILINE)
UNIFORM = re.compile(r"^uniform (float|int|i?vec[234]|mat[34]) (\w+)(\[\d+\])?;", re.MULTILINE)
# Numbers in a uniform of a kind; samplers are not among them.
WORDS = {
    "float": 1,
    "int": 1,
    "vec2": 2,
    "ivec2": 2,
    "vec3": 3,
    "ivec3": 3,
    "vec4": 4,
    "ivec4": 4,
    "mat3": 9,
    "mat4": 16,
}
WORD_BYTES = 4
# Numbers of a cell of lamps that a texture holds in one place.
CELL_WORDS = 4
# Of what a driver hands from stage to stage, 64 numbers at least, so many are the shaders' own.
OWN_WORDS = 8


Key = tuple[str, str, frozenset[str]]
AnyProgram: TypeAlias = moderngl.Program | moderngl.ComputeShader
Content = tuple[tuple[object, ...], ...]


@lru_cache(maxsize=64)
def _text(name: str) -> str:
    return resources.files("wallum.realtime").joinpath("shaders", name).read_text("utf-8")


def kind_feature(shader: str) -> str:
    """The feature that says that a scene has lamps of a kind's shader."""
    return KIND_PREFIX + shader.upper()


def cell_pages() -> int:
    """How many vectors of four a cell takes: its first entry, and the counts of each shader of kinds."""
    return -(-(1 + len(SHADERS)) // CELL_WORDS)


def _of_kind(text: str, number: int, shader: str) -> str:
    """Lines of a shader for one kind. number : of its counts in a cell, from 1 on"""
    count = f"cell_{number // CELL_WORDS}[{number % CELL_WORDS}]"
    return text.replace("cell[NUMBER]", count).replace("KIND", shader)


def source_of(
    name: str, features: frozenset[str] = frozenset(), constants: dict[str, int | str] | None = None
) -> str:
    """Text of a shader with its includes put in and the lines of its features.

    constants : numbers by name, beside those of the layout of lamps
    """
    kinds = [(n, shader) for n, shader in enumerate(SHADERS, start=1) if kind_feature(shader) in features]

    pages = sorted({0, *(n // CELL_WORDS for n, _ in kinds)})

    def each(found: re.Match[str]) -> str:
        if found[1] == "PAGE":
            return "".join(found[2].replace("PAGE", str(page)) for page in pages)
        return "".join(_of_kind(found[2], n, shader) for n, shader in kinds)

    text = EACH.sub(each, _text(name))
    for _ in range(INCLUDE_DEPTH):
        text = INCLUDE.sub(lambda item: _text(f"include/{item[1]}"), text)
    version, _, body = text.partition("\n")
    names = {**glsl_constants(), **(constants or {})} if "lamp_row(" in body else (constants or {})
    defined = "".join(f"#define {word} {value}\n" for word, value in names.items())
    return f"{version}\n{defined}{in_force(body, features)}"


def in_force(text: str, features: frozenset[str]) -> str:
    """The lines of a shader that a set of features leaves. Conditions ask whether one of some
    features is there, as `#ifdef A` or `#if defined(A) || defined(B)`, or that one is not: `#ifndef A`.

    Raises RendererProblem for any other condition.
    """
    selected: list[str] = []
    open_at: list[bool] = []
    for line in text.split("\n"):
        if line.startswith("#if"):
            if not CONDITION.match(line):
                raise RendererProblem(f"a shader has a condition that is not known: {line}", "shaders")
            there = not features.isdisjoint(re.findall(r"[A-Z_]{2,}", line))
            open_at.append(there != line.startswith("#ifndef"))
        elif line in ("#else", "#endif"):
            if not open_at:
                raise RendererProblem(f"a shader has {line} without a condition", "shaders")
            ends = open_at.pop()
            if line == "#else":
                open_at.append(not ends)
        elif line.startswith("#") and not line.startswith("#define "):
            raise RendererProblem(f"a shader has a line that is not known: {line}", "shaders")
        elif all(open_at):
            selected.append(line)
    if open_at:
        raise RendererProblem("a shader has a condition without an end", "shaders")
    return "\n".join(selected)


@dataclass
class SamplerBindings:
    """Units of a program's samplers by name, and the textures that they read."""

    units: dict[str, int]
    textures: dict[int, moderngl.Texture] = field(default_factory=dict)


def _hand_out_units(program: AnyProgram, text: str, most: int) -> None:
    """Give each sampler that a program kept a unit of its own. Raises RendererProblem beyond the driver's."""
    names = [name for name in dict.fromkeys(SAMPLER.findall(text)) if name in program]
    if len(names) > most:
        raise RendererProblem(f"a shader reads {len(names)} textures at once", "OpenGL", f"at most {most}")
    for unit, name in enumerate(names):
        set_uniforms(program, **{name: unit})
    program.extra = SamplerBindings({name: unit for unit, name in enumerate(names)})


def bind_textures(program: AnyProgram) -> None:
    """Bind what a program was last given to read."""
    for unit, texture in program.extra.textures.items():
        texture.use(unit)


def is_software(context: moderngl.Context) -> bool:
    """Whether pictures are drawn by the processor."""
    return "llvmpipe" in context.info["GL_RENDERER"].lower()


def block_lamps(context: moderngl.Context) -> int:
    """How many lamps the driver's uniform blocks have room for; more go into a storage buffer."""
    return int(context.info["GL_MAX_UNIFORM_BLOCK_SIZE"]) // (LAMP_WORDS * WORD_BYTES)


def carried(vertex: str, fragment: str, most: int) -> tuple[str, str]:
    """The two shaders of a program, the first reading the second's uniforms for it, `most` numbers
    of them."""
    if not CARRY.search(vertex):
        return vertex, fragment
    own = {item[2] for item in UNIFORM.finditer(vertex)}
    declared: list[str] = []
    handed: list[str] = []
    left = most

    def hand_on(found: re.Match[str]) -> str:
        nonlocal left
        kind, name, many = found[1], found[2], found[3] or ""
        words = WORDS[kind] * int(many.strip("[]") or 1)
        if words > left:
            return found[0]
        left -= words
        if name not in own:
            declared.append(f"uniform {kind} {name}{many};")
        declared.append(f"flat out {kind} flat_{name}{many};")
        handed.append(f"    flat_{name} = {name};")
        return f"#define {name} flat_{name}\nflat in {kind} {name}{many};"

    fragment = UNIFORM.sub(hand_on, fragment)
    text = "\n".join([*declared, "void main() {", *handed])
    return CARRY.sub(lambda _: text, vertex), fragment


class Programs:
    """Compiles each variant once, and keeps what is drawn with it."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        room = int(context.info["GL_MAX_VERTEX_OUTPUT_COMPONENTS"]) - OWN_WORDS
        self._carried = room if is_software(context) else 0
        self._units = int(context.info["GL_MAX_TEXTURE_IMAGE_UNITS"])
        self._constants: dict[str, int | str] = {"BLOCK_LAMPS": block_lamps(context)}
        self._kept: dict[Key, moderngl.Program] = {}
        self._computed: dict[tuple[str, frozenset[str]], moderngl.ComputeShader] = {}
        self._used: set[Key] = set()  # since the level that is shown came
        self._arrays: dict[int, tuple[Content, moderngl.VertexArray]] = {}

    def get(self, vertex: str, fragment: str, features: frozenset[str] = frozenset()) -> moderngl.Program:
        """The program of two shader files with these features. Raises RendererProblem."""
        key = (vertex, fragment, features)
        self._used.add(key)
        if key not in self._kept:
            try:
                sources = carried(
                    source_of(f"{vertex}.vert.glsl", features, self._constants),
                    source_of(f"{fragment}.frag.glsl", features, self._constants),
                    self._carried,
                )
                self._kept[key] = self._context.program(vertex_shader=sources[0], fragment_shader=sources[1])
                _hand_out_units(self._kept[key], "".join(sources), self._units)
            except moderngl.Error as error:
                where = f"{fragment} {sorted(features)}"
                raise RendererProblem(f"a shader does not compile: {error}", where) from None
        return self._kept[key]

    def compute(self, name: str, features: frozenset[str] = frozenset()) -> moderngl.ComputeShader:
        """The program of a compute shader with these features. Raises RendererProblem."""
        key = (name, features)
        if key not in self._computed:
            try:
                text = source_of(f"{name}.comp.glsl", features, self._constants)
                self._computed[key] = self._context.compute_shader(text)
                _hand_out_units(self._computed[key], text, self._units)
            except moderngl.Error as error:
                raise RendererProblem(f"a shader does not compile: {error}", name) from None
        return self._computed[key]

    def run(self, program: moderngl.ComputeShader, across: int, down: int) -> None:
        """Run groups of a compute shader; what it writes may be read by what comes after."""
        bind_textures(program)
        program.run(across, down)
        self._context.memory_barrier()

    def array(self, program: moderngl.Program, *content: tuple[object, ...]) -> moderngl.VertexArray:
        """What a program draws, its textures bound; without content the triangle over the whole screen."""
        bind_textures(program)
        built = self._arrays.get(program.glo)
        if built is None or built[0] != content:
            if built is not None:
                built[1].release()
            built = self._arrays[program.glo] = (content, self._context.vertex_array(program, list(content)))
        return built[1]

    def over_screen(self, program: moderngl.Program) -> None:
        """Draw a program over the whole target."""
        self.array(program).render(moderngl.TRIANGLES, vertices=3)

    def level_changed(self) -> None:
        """What is used from now on is used for another level."""
        self._used.clear()

    def forget_unused(self) -> None:
        """Let go of what the present level has not been drawn with: each takes some 3 MB of a software
        driver's memory, and another level asks for others."""
        for key in self._kept.keys() - self._used:
            program = self._kept.pop(key)
            built = self._arrays.pop(program.glo, None)
            if built is not None:
                built[1].release()
            program.release()

    def __len__(self) -> int:
        return len(self._kept) + len(self._computed)


def set_uniforms(program: AnyProgram, **values: object) -> None:
    """Set the uniforms that this variant kept; a compiler drops those it does not use, and the ends
    of arrays that it does not read. A texture is bound when the program draws, at a unit of its own."""
    for name, value in values.items():
        member = program.get(name, None)
        if isinstance(member, moderngl.Uniform):
            if isinstance(value, moderngl.Texture | moderngl.Texture3D | moderngl.TextureArray):
                program.extra.textures[program.extra.units[name]] = value
            elif isinstance(value, bytes):
                member.write(value[: member.array_length * member.dimension * WORD_BYTES])
            else:
                member.value = value
