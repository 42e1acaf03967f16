#version 330 core
// of the whole picture: where what is drawn begins, from below, and how much of it that is
uniform vec2 share;
out float height;
void main() {
    vec2 corner = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    height = share.x + share.y * (corner.y * 0.5 + 0.5);
    gl_Position = vec4(corner, 1.0, 1.0);
}
