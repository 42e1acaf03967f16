#version 330 core
// One instance a segment: a four-cornered strip, wide in pixels whatever the distance.
uniform mat4 view;
uniform mat4 projection;
uniform vec2 viewport;
uniform float width;
uniform float bias;
in vec3 start;
in vec3 end;
out float across;
void main() {
    vec4 a = view * vec4(start, 1.0);
    vec4 b = view * vec4(end, 1.0);
    a.z += bias;
    b.z += bias;
    vec4 ca = projection * a;
    vec4 cb = projection * b;
    vec2 pa = ca.xy / ca.w * viewport * 0.5;
    vec2 pb = cb.xy / cb.w * viewport * 0.5;
    vec2 along = pb - pa;
    float size = length(along);
    vec2 side = size > 1e-6 ? vec2(-along.y, along.x) / size : vec2(1.0, 0.0);
    bool second = (gl_VertexID & 1) == 1;
    across = (gl_VertexID & 2) == 2 ? 1.0 : -1.0;
    vec4 place = second ? cb : ca;
    place.xy += side * across * (width * 0.5 + 0.5) * 2.0 / viewport * place.w;
    gl_Position = place;
}
