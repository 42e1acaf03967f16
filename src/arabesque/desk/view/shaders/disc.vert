#version 330 core
// One instance a point: a disc of a size in pixels. state 0 plain, 1 selected (a ring round it), 2 under the pointer,
// 3 hollow, 4 with a bar.
uniform mat4 view;
uniform mat4 projection;
uniform vec2 viewport;
uniform float radius;
uniform float bias;
in vec3 centre;
in float state;
out vec2 local;
flat out int kind;
void main() {
    vec4 seen = view * vec4(centre, 1.0);
    seen.z += bias;
    vec4 place = projection * seen;
    local = vec2((gl_VertexID & 1) == 1 ? 1.0 : -1.0, (gl_VertexID & 2) == 2 ? 1.0 : -1.0) * (radius * 2.0 + 2.0);
    place.xy += local * 2.0 / viewport * place.w;
    kind = int(state + 0.5);
    gl_Position = place;
}
