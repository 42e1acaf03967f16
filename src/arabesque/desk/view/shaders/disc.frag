#version 330 core
uniform float radius;
uniform vec3 ink;
uniform vec3 accent;
uniform vec3 paper;
in vec2 local;
flat in int kind;
out vec4 result;
void main() {
    float away = length(local);
    float disc = kind == 0 ? radius : radius * 1.25;
    float inner = clamp(disc - away + 0.5, 0.0, 1.0);
    vec3 colour = kind == 2 ? accent : ink;
    float cover = inner;
    if (kind == 1) {
        float ring = clamp(1.3 - abs(away - disc - 2.5) + 0.5, 0.0, 1.0);
        float gap = clamp(disc + 1.5 - away + 0.5, 0.0, 1.0);
        colour = mix(mix(accent, paper, gap), ink, inner);
        cover = max(max(inner, gap), ring);
    }
    if (kind == 3) {
        // hollow: it follows its mirror image
        colour = mix(paper, ink, smoothstep(disc - 2.0, disc - 1.0, away));
    }
    if (kind == 4) {
        // a short bar through it: pinned
        float bar = clamp(1.7 - abs(local.y) + 0.5, 0.0, 1.0) * clamp(disc + 3.5 - abs(local.x) + 0.5, 0.0, 1.0);
        cover = max(inner, bar);
    }
    // a light rim, so that it is seen on dark stripes too
    float rim = kind == 1 ? 0.0 : clamp(disc + 1.2 - away + 0.5, 0.0, 1.0);
    colour = mix(paper, colour, cover);
    cover = max(cover, 0.85 * rim);
    if (cover <= 0.0) discard;
    result = vec4(colour, cover);
}
