// The lamps that reach each cell of the view: see realtime/passes/lamps/clusters.py.

uniform usampler2D cells;      // page and x; y and slice: first entry; by kind, number | number with shadow << 16
uniform usampler2D lists;      // lamp numbers, 1,024 a row
uniform float list_rows;
uniform vec2 cells_size;       // of that texture
uniform float page_columns;    // of one of its pages
uniform ivec3 cell_grid;
uniform vec2 cell_slices;      // scale and offset of log2(depth)

uvec4 cell_at(ivec2 square, float depth, int page) {
    ivec3 cell = ivec3(square, int(log2(depth) * cell_slices.x + cell_slices.y));
    cell = clamp(cell, ivec3(0), cell_grid - 1);
    vec2 place = vec2(float(cell.x) + float(page) * page_columns, cell.z * cell_grid.y + cell.y) + 0.5;
    return texture(cells, place / cells_size);
}

uint listed(uint i) {
    return texture(lists, (vec2(i & 1023u, i >> 10) + 0.5) / vec2(1024.0, list_rows)).r;
}
