#version 330 core
uniform vec3 sky;
uniform vec3 ground;
in float height;
out vec4 result;
void main() { result = vec4(mix(ground, sky, clamp(height, 0.0, 1.0)), 1.0); }
