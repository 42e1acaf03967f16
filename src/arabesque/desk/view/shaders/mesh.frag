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
in vec3 world_position;
in vec2 span_place;
out vec4 result;

// the exact form: homogeneous Bezier points, a span a row; counts of points along u and v, counts of spans
uniform int exact;
uniform sampler2D nets;
uniform ivec4 layout_of_nets;
uniform mat4 view;

void bernstein(int count, float t, out float value[8], out float slope[8]) {
    // values of one degree less first: slopes are their differences
    for (int k = 0; k < 8; k++) { value[k] = 0.0; slope[k] = 0.0; }
    value[0] = 1.0;
    for (int level = 1; level < count; level++) {
        bool last = level == count - 1;
        float before = 0.0;
        for (int k = 0; k <= level; k++) {
            float here = k < level ? value[k] : 0.0;
            if (last) slope[k] = before - here;
            value[k] = (1.0 - t) * here + t * before;
            before = here;
        }
    }
}

vec3 exact_normal() {
    ivec2 span = clamp(ivec2(floor(span_place)), ivec2(0), layout_of_nets.zw - 1);
    vec2 t = span_place - vec2(span);
    float bu[8]; float du[8]; float bv[8]; float dv[8];
    bernstein(layout_of_nets.x, t.x, bu, du);
    bernstein(layout_of_nets.y, t.y, bv, dv);
    vec4 s = vec4(0.0), su = vec4(0.0), sv = vec4(0.0);
    int row = span.x * layout_of_nets.w + span.y;
    for (int i = 0; i < layout_of_nets.x; i++)
        for (int j = 0; j < layout_of_nets.y; j++) {
            vec4 p = texelFetch(nets, ivec2(i * layout_of_nets.y + j, row), 0);
            s += bu[i] * bv[j] * p;
            su += du[i] * bv[j] * p;
            sv += bu[i] * dv[j] * p;
        }
    return cross(su.xyz * s.w - s.xyz * su.w, sv.xyz * s.w - s.xyz * sv.w);
}

// gloss 0: none. 1: lines of equal light from a direction. 2: lines of light projected along a direction.
// 3: stripes of the environment. 4: a studio with light bars.
uniform int gloss;
uniform mat3 to_world;
uniform vec3 gloss_axis;
uniform float gloss_count;
uniform float gloss_turn;
uniform float gloss_size;
uniform float gloss_dark;

float stripes(float place) {
    // one dark and one light stripe per unit, their edges softened over a pixel
    float width = max(fwidth(place), 1e-5);
    float wave = abs(fract(place) - 0.5) - 0.5 * gloss_dark;
    return mix(1.0 - gloss_dark, smoothstep(-width, width, wave), clamp(0.35 / width, 0.0, 1.0));
}

vec3 glossy(vec3 n, vec3 to_eye) {
    vec3 normal = normalize(to_world * n);
    vec3 side = normalize(abs(gloss_axis.z) < 0.9 ? cross(gloss_axis, vec3(0.0, 0.0, 1.0)) : vec3(0.0, 1.0, 0.0));
    if (gloss == 1) return vec3(mix(0.12, 0.95, stripes(acos(clamp(dot(normal, gloss_axis), -1.0, 1.0)) * gloss_count / 3.14159265)));
    if (gloss == 2) {
        // where the surface's normal meets a ceiling of parallel light lines
        float rise = dot(normal, gloss_axis);
        float reach = (2.0 * gloss_size - dot(world_position, gloss_axis)) / (abs(rise) > 1e-3 ? rise : 1e-3);
        float place = dot(world_position + normal * reach, side) / (4.0 * gloss_size) * gloss_count;
        return vec3(mix(0.12, 0.95, stripes(place)));
    }
    vec3 mirrored = to_world * reflect(-to_eye, n);
    float turn = atan(dot(mirrored, side), dot(mirrored, cross(side, gloss_axis)));
    float rise = dot(mirrored, gloss_axis);
    if (gloss == 3) return vec3(mix(0.12, 0.95, stripes(asin(clamp(rise, -1.0, 1.0)) * gloss_count / 3.14159265)));
    // the studio: dark floor, pale ceiling, bars of light that can be turned round
    float sky = mix(0.10, 0.62, smoothstep(-0.25, 0.9, rise));
    float bars = 0.0;
    for (int k = 0; k < 3; k++) {
        float away = abs(mod(turn - gloss_turn - 2.0943951 * float(k) + 3.14159265, 6.2831853) - 3.14159265);
        bars += smoothstep(0.16, 0.12, away) * smoothstep(-0.2, 0.0, rise) * smoothstep(0.95, 0.85, rise);
    }
    bars += smoothstep(0.965, 0.975, rise);
    return vec3(sky) + clamp(bars, 0.0, 1.0) * 0.55;
}

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
    if (exact == 1) {
        vec3 formed = exact_normal();
        // where a side has shrunk to a point there is no normal of its own
        if (dot(formed, formed) > 1e-12) n = normalize(mat3(view) * formed);
    }
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
    if (gloss > 0) {
        result = vec4(glossy(n, to_eye), alpha);
        return;
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
