#version 330 core
// Triangles of scans and patches. bias pulls a surface a little towards the eye,
// so that a patch lying in the scan's noise shows as one calm sheet.
uniform mat4 view;
uniform mat4 projection;
uniform float bias;
in vec3 position;
in vec3 normal;
in float value;
in vec2 place;
out vec3 eye_position;
out vec3 eye_normal;
out float distance_value;
out vec3 world_position;
out vec2 span_place;
void main() {
    vec4 seen = view * vec4(position, 1.0);
    eye_position = seen.xyz;
    eye_normal = mat3(view) * normal;
    distance_value = value;
    world_position = position;
    span_place = place;
    seen.z += bias;
    gl_Position = projection * seen;
}
