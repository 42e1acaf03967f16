#version 330 core
// mode 0: plain material. mode 1: signed distance in bands, isolines at the tolerance.
// mode 2: mean curvature, bulging and hollow told apart, calm where it is flat.
uniform int mode;
uniform int is_perspective;
uniform vec3 colour;
uniform float alpha;
uniform float dimmed;
uniform float tolerance;
uniform float range;
uniform float curvature_range;
uniform vec3 bulging, hollow;
uniform vec3 above_near, above_far, below_near, below_far, unmeasured, ink;
in vec3 eye_position;
in vec3 eye_normal;
in float distance_value;
out vec4 result;

const float MISSING = 1e8;
const float BANDS = 4.0;

vec3 banded(float d) {
    float beyond = abs(d) - tolerance;
    if (beyond <= 0.0) return colour;
    float band = (floor(clamp(beyond / (range - tolerance), 0.0, 0.999) * BANDS) + 0.5) / BANDS;
    return d > 0.0 ? mix(above_near, above_far, band) : mix(below_near, below_far, band);
}

void main() {
    vec3 n = normalize(eye_normal);
    vec3 to_eye = is_perspective == 1 ? normalize(-eye_position) : vec3(0.0, 0.0, 1.0);
    bool back = dot(n, to_eye) < 0.0;
    if (back) n = -n;
    vec3 base = colour;
    if (mode == 1) {
        if (distance_value > MISSING) {
            float hatch = fract((gl_FragCoord.x + gl_FragCoord.y) / 7.0);
            base = hatch < 0.22 ? unmeasured : colour;
        } else {
            base = banded(distance_value);
            float width = max(fwidth(distance_value), 1e-9);
            float line = min(abs(abs(distance_value) - tolerance) / width, 2.0);
            base = mix(ink, base, smoothstep(0.4, 1.2, line));
        }
    }
    if (mode == 2) {
        float share = clamp(distance_value / curvature_range, -1.0, 1.0);
        base = mix(vec3(0.87, 0.87, 0.85), share < 0.0 ? bulging : hollow, pow(abs(share), 0.8));
    }
    // a broad key light from the upper left, a soft fill, a little sheen: enough to read the form
    float key = max(dot(n, normalize(vec3(-0.45, 0.65, 0.75))), 0.0);
    float fill = max(dot(n, normalize(vec3(0.7, -0.1, 0.5))), 0.0);
    float facing = dot(n, to_eye);
    float light = 0.28 + 0.60 * key + 0.12 * fill + 0.08 * facing;
    vec3 halfway = normalize(normalize(vec3(-0.45, 0.65, 0.75)) + to_eye);
    float sheen = 0.07 * pow(max(dot(n, halfway), 0.0), 24.0);
    vec3 shaded = base * light + sheen;
    if (back) shaded *= 0.82;
    shaded = mix(shaded, vec3(dot(shaded, vec3(0.333))), dimmed);
    result = vec4(shaded, alpha);
}
