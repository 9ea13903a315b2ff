"""What this machine can do at all, measured with next to nothing of ours in between."""

import time

import moderngl
import numpy as np

__all__ = ["fill_ms", "memory_copy_ms"]

FILL = """#version 430 core
in vec2 at; out vec4 c; uniform float k;
void main() { vec3 x = vec3(at, 1.0); for (int i = 0; i < 8; ++i) x = x * x * k + 0.1; c = vec4(x, 1.0); }"""
SCREEN = """#version 430 core
out vec2 at;
void main() { at = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
              gl_Position = vec4(at, 0.0, 1.0); }"""


def fill_ms(context: moderngl.Context, size: tuple[int, int], runs: int = 15) -> float:
    """Median time of one plain full-screen pass of 24 multiply-adds into half floats [ms]."""
    texture = context.texture(size, 4, dtype="f2")
    frame = context.framebuffer([texture])
    program = context.program(vertex_shader=SCREEN, fragment_shader=FILL)
    program["k"].value = 0.3
    screen = context.vertex_array(program, [])
    frame.use()
    context.enable_only(0)
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        screen.render(moderngl.TRIANGLES, vertices=3)
        context.finish()
        times.append((time.perf_counter() - start) * 1e3)
    for item in (screen, program, frame, texture):
        item.release()
    return sorted(times)[runs // 2]


def memory_copy_ms(size: int, runs: int = 15) -> float:
    """Median time to copy `size` bytes [ms]."""
    source = np.ones(size, np.uint8)
    target = np.empty_like(source)
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        np.copyto(target, source)
        times.append((time.perf_counter() - start) * 1e3)
    return sorted(times)[runs // 2]
