#version 330 core
uniform vec4 colour;
uniform float width;
in float across;
out vec4 result;
void main() {
    float edge = (width * 0.5 + 0.5) * (1.0 - abs(across));
    result = vec4(colour.rgb, colour.a * clamp(edge, 0.0, 1.0));
}
