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

// the studio: dark floor, pale ceiling, bars of light that can be turned round; blur: of what a rough form mirrors
const float THIRD = 2.0943951, PI = 3.14159265;

float studio(vec3 way, vec3 side, float blur) {
    float turn = atan(dot(way, side), dot(way, cross(side, gloss_axis)));
    float rise = dot(way, gloss_axis);
    float sky = mix(0.10, 0.62, smoothstep(-0.25 - blur, 0.9, rise));
    float bars = 0.0;
    for (int k = 0; k < 3; k++) {
        float away = abs(mod(turn - gloss_turn - THIRD * float(k) + PI, 2.0 * PI) - PI);
        bars += (1.0 - smoothstep(0.12, 0.16 + blur, away)) * smoothstep(-0.2 - blur, 0.0, rise)
            * (1.0 - smoothstep(0.85 - blur, 0.95, rise));
    }
    bars += smoothstep(0.965 - blur, 0.975, rise);
    // what is spread is as much weaker
    return sky + clamp(bars, 0.0, 1.0) * 0.55 / (1.0 + 2.0 * blur);
}

// 0: a mirror. 1: clay. 2: painted. 3: metal. 4: stone.
uniform int material;

float daylight(vec3 normal, vec3 side) {
    // what a matt form gets of ceiling, floor and the three bars
    float light = mix(0.26, 0.74, 0.5 + 0.5 * dot(normal, gloss_axis));
    for (int k = 0; k < 3; k++) {
        float turn = gloss_turn + THIRD * float(k);
        vec3 bar = sin(turn) * side + cos(turn) * cross(side, gloss_axis);
        light += 0.24 * max(dot(normal, normalize(bar + 0.6 * gloss_axis)), 0.0);
    }
    return light;
}

float grain(ivec3 cell) {
    // hashed by the primes of Teschner et al., Optimized spatial hashing (VMV 2003)
    uint mixed = uint(cell.x) * 73856093u ^ uint(cell.y) * 19349663u ^ uint(cell.z) * 83492791u;
    mixed = (mixed ^ (mixed >> 13)) * 1274126177u;
    return float((mixed ^ (mixed >> 16)) & 0xffffu) / 65535.0;
}

float noise(vec3 place) {
    ivec3 cell = ivec3(floor(place));
    vec3 t = smoothstep(0.0, 1.0, fract(place));
    float sum = 0.0;
    for (int k = 0; k < 8; k++) {
        ivec3 corner = ivec3(k & 1, (k >> 1) & 1, k >> 2);
        vec3 share = mix(1.0 - t, t, vec3(corner));
        sum += share.x * share.y * share.z * grain(cell + corner);
    }
    return sum;
}

float clouds(vec3 place) {
    float sum = 0.0, weight = 0.5;
    for (int octave = 0; octave < 4; octave++) {
        sum += weight * noise(place);
        place = 2.03 * place + 11.7;
        weight *= 0.5;
    }
    return sum / 0.9375;
}

vec3 made_of(vec3 normal, vec3 mirrored, vec3 side, float facing) {
    vec3 place = world_position / gloss_size;
    float light = daylight(normal, side);
    // Schlick's approximation (Computer Graphics Forum 13, 1994)
    float edge = pow(1.0 - clamp(facing, 0.0, 1.0), 5.0);
    if (material == 1) {
        vec3 earth = vec3(0.71, 0.50, 0.37) * (0.93 + 0.14 * clouds(24.0 * place));
        return earth * light + 0.05 * studio(mirrored, side, 0.6);
    }
    if (material == 2) {
        vec3 paint = vec3(0.07, 0.27, 0.34) * (0.35 + 0.9 * light);
        return paint + mix(0.05, 1.0, edge) * studio(mirrored, side, 0.0);
    }
    if (material == 3) {
        vec3 shine = mix(vec3(0.80, 0.79, 0.77), vec3(1.0), edge);
        return shine * (0.06 + 1.25 * studio(mirrored, side, 0.18));
    }
    float veins = abs(2.0 * clouds(5.0 * place) - 1.0);
    vec3 rock = mix(vec3(0.46, 0.45, 0.43), vec3(0.80, 0.78, 0.73), smoothstep(0.0, 0.42, veins));
    rock *= 1.0 - 0.26 * smoothstep(0.66, 0.84, noise(230.0 * place));
    return rock * light + 0.07 * studio(mirrored, side, 0.3);
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
    if (gloss == 3) {
        float rise = dot(mirrored, gloss_axis);
        return vec3(mix(0.12, 0.95, stripes(asin(clamp(rise, -1.0, 1.0)) * gloss_count / 3.14159265)));
    }
    return material == 0 ? vec3(studio(mirrored, side, 0.0)) : made_of(normal, mirrored, side, dot(n, to_eye));
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
