in vec3 point;
in vec3 normal;
in vec2 uv;
in vec4 soft;
in vec2 sheet;
out vec4 colour;

// KIND: 0 matte, 1 coated, 2 metal, 3 glass; COVERED, BRUSHED: whether there are covers, a grain
uniform vec3 base;
uniform float alpha;
uniform float across;             // roughness across the grain, 0: as along it
uniform float dullest;            // roughness where the texture is dull, 0: the same all over
uniform int across_taps;
uniform int panel_taps;           // points on the panel each way; 0: it is mirrored by a closed form alone
uniform int cover_count;          // other materials over parts of this one
uniform sampler2D cover_0;
uniform sampler2D cover_1;
uniform sampler2D cover_2;
uniform sampler2D cover_3;
uniform mat3 cover_to[4];         // surface millimetres to the amount's box
uniform int cover_kind[4];
uniform vec3 cover_base[4];
uniform float cover_alpha[4];
uniform int glass_pass;           // 0: what glass lets through, 1: what it mirrors, 2: over what is behind
uniform sampler2D seen_map;       // that, as it is shown; smaller ones blurred
uniform float film;               // share of light that a frosted film scatters
uniform bool textured;
uniform sampler2D tint_map;
uniform sampler2D slope_map;
uniform float tint_high;
uniform float slope_steep;

uniform vec3 eye;
uniform vec3 ahead;
uniform bool parallel_view;

uniform sampler2DArray gloss_room;  // the room as rough surfaces mirror it, one layer a roughness
uniform float layers;
uniform sampler2D share_map;

uniform bool has_panel;
uniform vec3 panel_middle;
uniform vec3 panel_facing;
uniform vec3 panel_side;
uniform vec3 panel_up;
uniform vec2 panel_half;
uniform vec3 panel_radiance;
uniform sampler2D shadow_map;
uniform mat4 shadow_clip;
uniform float shadow_texel;       // mm
uniform float shadow_depth;       // mm between the map's near and far
uniform int shadow_taps;

uniform vec2 lens;                // opening, as a share of the largest disc; depth in focus, mm
uniform float sends_back;         // share of light that goes back the way it came
uniform vec3 emission;            // the surface's own light
uniform bool has_tube_map;        // light of tubes over a sheet, baked
uniform sampler2D tube_map;
uniform vec4 tube_box;            // its low corner and its size, mm of the sheet

uniform bool is_ground;
uniform sampler2D light_map;      // gathered light and openness: over the ground, or the sheet that is drawn
uniform bool has_sheet_light;
uniform vec4 sheet_box;            // its low corner and its size, mm of the sheet, to the map's edges
uniform sampler2D ground_lit;     // how much of the panel is seen from the ground
uniform mat3 ground_axes;         // columns: along, across, normal
uniform vec3 ground_middle;
uniform float ground_half;
uniform vec4 ground_open;         // light and openness away from the piece
uniform vec2 ground_fades;        // between which distances it is lost, mm; zero: it is not

#if CAUGHT
uniform int caught_by;            // 1: the ground, 2: a side that lies in the photo's plane, 3: a body
uniform vec3 photo_tone;          // its reflectance
uniform vec3 photo_open;          // the light on that plane
uniform vec3 photo_normal;
#endif

uniform bool has_mirror;          // whether it is known what mirrors the piece and its ground
uniform sampler2D mirror_light;   // what is mirrored besides the room, and what share of that is not hidden
uniform sampler2D mirror_place;   // where: scene coordinates, and 1 where anything is known

const float STEEPEST = 3.0;      // mm of depth a mm aside, of a plane over the map of shadows
const float BACK_SPREAD = 0.012;  // how far light that goes back is spread, as a roughness
const vec2 DISC[16] = vec2[16](
    vec2(-0.326, -0.406), vec2(-0.840, -0.074), vec2(-0.696, 0.457), vec2(-0.203, 0.621),
    vec2(0.962, -0.195), vec2(0.473, -0.480), vec2(0.519, 0.767), vec2(0.185, -0.893),
    vec2(0.507, 0.064), vec2(0.896, 0.412), vec2(-0.322, -0.933), vec2(-0.792, -0.598),
    vec2(0.05, 0.12), vec2(-0.45, 0.10), vec2(0.12, 0.42), vec2(-0.10, -0.25));

vec3 cross_grain = vec3(0.0);     // unit, across the grain of the surface
float across_here;                // roughness across it

// How much what is mirrored is spread within a pixel because the surface turns there, as a square of a
// roughness: else a narrow edge would be a row of sparks (Tokuyoshi and Kaplanyan, "Improved Geometric
// Specular Antialiasing", I3D 2019, from memory)
float turning(vec3 n) {
    vec3 x = dFdx(n), y = dFdy(n);
    return min(0.5 * (dot(x, x) + dot(y, y)), 0.18);
}

// A texture at its own sharpness. Where a plane is seen on its edge, and in slivers, its place and its steps
// grow beyond all bounds and mean nothing: there it is the mean of all of it. A software card would average
// over every tile that such a step spans, for half a minute; and as it takes steps from one pixel of four to
// the next, it would too where only some of the four are looked up at their place: all of them or none are.
// (Given the steps, it would take the wrong texel.)
vec4 tile(sampler2D map) {
    vec2 steps = max(abs(dFdx(uv)), abs(dFdy(uv)));
    bool tame = max(steps.x, steps.y) < 1.0 && max(abs(uv.x), abs(uv.y)) < 1024.0;
    float wild = tame ? 0.0 : 1.0;
    wild += abs(dFdx(wild));
    wild += abs(dFdy(wild));
    tame = wild == 0.0;
    vec4 seen = texture(map, tame ? uv : vec2(0.0));
    return tame ? seen : textureLod(map, vec2(0.5), 20.0);
}

vec3 bumped(vec3 n) {
    if (!textured && BRUSHED == 0) return n;
    vec3 t, b;
    along_sheet(point, uv, n, t, b);
    float lt = dot(t, t), lb = dot(b, b);
    if (lt < 1e-16 || lb < 1e-16) return n;
    cross_grain = b * inversesqrt(lb);
    if (!textured) return n;
    vec2 slope = (tile(slope_map).rg * 2.0 - 1.0) * slope_steep;
    return normalize(n - slope.x * t * inversesqrt(lt) - slope.y * b * inversesqrt(lb));
}

// Where the point is over the ground's grid, -1..1
vec2 over_ground() { return (transpose(ground_axes) * (point - ground_middle)).xy / ground_half; }

// Of a sheet point by point: its triangles are as large as they can be
vec4 soft_here() {
    return has_sheet_light ? texture(light_map, (sheet - sheet_box.xy) / sheet_box.zw) : soft;
}

// How much deeper a plane through the point, of this normal, is by a step over the map: what lies on it or
// below does not stand before the point. Where it is steep it is held: it would be deeper than all.
vec2 slope_over_map(vec3 n, float texel) {
    vec3 t = normalize(cross(n, abs(n.z) < 0.9 ? vec3(0.0, 0.0, 1.0) : vec3(1.0, 0.0, 0.0)));
    mat3 turn = mat3(shadow_clip) * 0.5;
    vec3 one = turn * t, other = turn * cross(n, t);
    float flat_ = one.x * other.y - one.y * other.x;
    vec2 slope = vec2(one.z * other.y - other.z * one.y, other.z * one.x - one.z * other.x);
    float steepest = STEEPEST * shadow_texel / (texel * shadow_depth);
    float size = length(slope);
    return slope * (size > steepest * abs(flat_) ? sign(flat_) * steepest / size : 1.0 / flat_);
}

// How much of the panel is seen: blockers are averaged first, so that shadows soften with distance.
float lit_share(vec3 n) {
    vec4 at = shadow_clip * vec4(point + n * shadow_texel * 1.5, 1.0);
    vec3 map = at.xyz * 0.5 + 0.5;
    float spread = sqrt(panel_half.x * panel_half.y) / length(panel_middle - point);   // mm a mm of depth
    // a penumbra wider than can be looked through is taken from the ground's grid
    float wide = 0.0, seen = 1.0;
    if (is_ground) {
        vec2 over = over_ground();
        seen = mix(texture(ground_lit, over * 0.5 + 0.5).r, 1.0, smoothstep(0.80, 1.0, max(abs(over.x), abs(over.y))));
        wide = smoothstep(0.1, 0.3, spread);
    }
    if (any(lessThan(map.xy, vec2(0.0))) || any(greaterThan(map.xy, vec2(1.0)))) return mix(1.0, seen, wide);
    float texel = 1.0 / float(textureSize(shadow_map, 0).x);
    float slack = 1.2 * shadow_texel / shadow_depth;
    float search = clamp(spread * 60.0 / shadow_texel, 3.0, 90.0) * texel;
    float turn = 6.2831853 * turned_here();
    mat2 spin = mat2(cos(turn), sin(turn), -sin(turn), cos(turn));
    vec2 slope = slope_over_map(n, texel);
    float sum = 0.0, count = 0.0;
    for (int i = 0; i < 10; ++i) {
        vec2 aside = spin * DISC[i] * search;
        float before = map.z + dot(slope, aside) - texture(shadow_map, map.xy + aside).r;
        if (before > slack) { sum += before; count += 1.0; }
    }
    float none = mix(1.0, seen, wide);
    if (count < 0.5) return none;
    // one of few looks that meets something may be a stray one: alone it would be a dot
    float sure = min(count / 3.0, 1.0);
    float gap = sum / count * shadow_depth;
    float radius = spread * gap / shadow_texel;
    wide = is_ground ? smoothstep(30.0, 80.0, radius) : 0.0;
    if (wide == 1.0) return mix(none, seen, sure);
    radius = clamp(radius, 1.2, 90.0) * texel;
    float open = 0.0;
    for (int i = 0; i < shadow_taps; ++i) {
        vec2 aside = spin * DISC[i] * radius;
        open += step(map.z + dot(slope, aside) - slack, texture(shadow_map, map.xy + aside).r);
    }
    return mix(none, mix(open / float(shadow_taps), seen, wide), sure);
}

// Of an edge between unit directions: the angle between them over 2 pi, along their normal. The angle over
// its sine is a fraction, within two millionths (Heitz and Hill, "Real-Time Area Lighting", SIGGRAPH 2016
// course, from memory)
vec3 edge_light(vec3 a, vec3 b) {
    float x = dot(a, b), y = abs(x);
    float v = (0.8543985 + (0.4965155 + 0.0145206 * y) * y) / (3.4175940 + (4.1616724 + y) * y);
    return cross(a, b) * (x > 0.0 ? v : 0.5 * inversesqrt(max(1.0 - x * x, 1e-7)) - v);
}

// One more corner of a polygon that is gone round.
void go_to(vec3 corner, inout bool begun, inout vec3 first, inout vec3 last, inout vec3 sum) {
    if (begun) sum += edge_light(last, corner);
    else first = corner;
    begun = true;
    last = corner;
}

// One more edge of it, cut off at the horizon: the heights of its ends above that are a_up and b_up.
void go_on(vec3 a, float a_up, vec3 b, float b_up, inout bool begun, inout vec3 first, inout vec3 last,
           inout vec3 sum) {
    if (a_up >= 0.0) go_to(a, begun, first, last, sum);
    if ((a_up >= 0.0) != (b_up >= 0.0))
        go_to(normalize(abs(b_up) * a + abs(a_up) * b), begun, first, last, sum);
}

// Irradiance / pi under the panel at radiance 1, by Lambert's formula for the part of a polygon that is
// above the horizon.
float panel_on(vec3 n) {
    vec3 x = panel_half.x * panel_side, y = panel_half.y * panel_up, m = panel_middle - point;
    if (dot(m, panel_facing) >= 0.0) return 0.0;
    vec3 a = normalize(m - x - y), b = normalize(m + x - y), c = normalize(m + x + y), d = normalize(m - x + y);
    vec4 up = vec4(dot(n, a), dot(n, b), dot(n, c), dot(n, d));
    vec3 sum = vec3(0.0);
    if (min(min(up.x, up.y), min(up.z, up.w)) >= 0.0) {
        sum = edge_light(a, b) + edge_light(b, c) + edge_light(c, d) + edge_light(d, a);
    } else if (max(max(up.x, up.y), max(up.z, up.w)) > 0.0) {
        bool begun = false;
        vec3 first = a, last = a;
        go_on(a, up.x, b, up.y, begun, first, last, sum);
        go_on(b, up.y, c, up.z, begun, first, last, sum);
        go_on(c, up.z, d, up.w, begun, first, last, sum);
        go_on(d, up.w, a, up.x, begun, first, last, sum);
        sum += edge_light(last, first);
    }
    return abs(dot(n, sum));
}

// Reflectance of uniform light: scale and bias on the reflectance at normal incidence (ggx.py)
vec2 ggx_share(float c, float rough) { return texture(share_map, vec2(c, sqrt(rough))).rg; }

float ggx_edge(float x, float width) { return 0.5 * (1.0 + x * inversesqrt(x * x + width * width)); }

// The panel mirrored by a GGX surface: the marginal of GGX slopes integrates in closed form.
float mirrored_panel(vec3 r, float rough) {
    float toward = -dot(r, panel_facing);
    if (toward < 0.02) return 0.0;
    float t = dot(panel_middle - point, -panel_facing) / toward;
    if (t < 0.0) return 0.0;
    vec3 hit = point + t * r - panel_middle;
    float width = max(2.0 * rough * t, 0.5);
    float u = dot(hit, panel_side), v = dot(hit, panel_up);
    return (ggx_edge(u + panel_half.x, width) - ggx_edge(u - panel_half.x, width))
         * (ggx_edge(v + panel_half.y, width) - ggx_edge(v - panel_half.y, width));
}

// The same by a grid of points on the panel, which is right where a lobe is wide beside their distances:
// D and G of GGX, along (x) and across (y) a grain, as a share of all that it throws. The second: how far to
// go by it.
float ggx_panel(vec3 view, vec3 n, vec3 x, vec3 y, vec2 rough, out float trusted) {
    trusted = 0.0;
    if (panel_taps == 0 || min(rough.x, rough.y) < 0.01) return 0.0;
    float step = 2.0 / float(panel_taps), area = 4.0 * panel_half.x * panel_half.y;
    float far = length(panel_middle - point);
    trusted = smoothstep(0.25, 0.6, 2.0 * min(rough.x, rough.y) * far / (step * max(panel_half.x, panel_half.y)));
    if (trusted <= 0.0) return 0.0;
    float nv = max(dot(n, view), 0.02);
    vec2 v = vec2(dot(view, x), dot(view, y)) * rough;
    float sum = 0.0, view_part = sqrt(dot(v, v) + nv * nv);
    for (int i = 0; i < panel_taps; ++i) for (int j = 0; j < panel_taps; ++j) {
        vec2 at = (vec2(i, j) + 0.5) * step - 1.0;
        vec3 way = panel_middle + at.x * panel_half.x * panel_side + at.y * panel_half.y * panel_up - point;
        float far2 = dot(way, way);
        way *= inversesqrt(far2);
        float nl = dot(n, way), sent = -dot(way, panel_facing);
        if (nl <= 0.0 || sent <= 0.0) continue;
        vec3 h = normalize(way + view);
        vec2 slope = vec2(dot(h, x), dot(h, y)) / rough, l = vec2(dot(way, x), dot(way, y)) * rough;
        float nh = dot(h, n), q = dot(slope, slope) + nh * nh;
        float d = 1.0 / (PI * rough.x * rough.y * q * q);
        // the separable form of Smith, as the path tracer has it
        float g = 4.0 * nv * nl / ((nv + view_part) * (nl + sqrt(dot(l, l) + nl * nl)));
        sum += d * g * sent / far2;
    }
    vec2 all = ggx_share(nv, sqrt(rough.x * rough.y));
    return sum * area * step * step / 4.0 / (4.0 * nv) / max(all.x + all.y, 1e-3);
}

vec3 mirrored_room(vec3 r, float rough) {
    float layer = clamp((layers - 1.0) * sqrt(rough), 0.0, layers - 1.0);
    vec2 at = round_uv(r, 0.0);
    float low = floor(layer);
    vec3 a = textureLod(gloss_room, vec3(at, low), 0.0).rgb;
    vec3 b = textureLod(gloss_room, vec3(at, min(low + 1.0, layers - 1.0)), 0.0).rgb;
    return mix(a, b, layer - low);
}

// What arrives at the point
// faces: how far the surface is turned to the middle of the panel; where it is turned away, parts of a large
// panel may still be mirrored
// mirror: what is mirrored besides the room, and how much of that is not hidden, where it is known
struct Arriving { vec3 soft; vec3 key; float open; float share; float faces; bool known; vec4 mirror; };

// What is mirrored besides the room, and how much of the room is not hidden, by the known places next to
// this one; false where none is
bool mirror_here(vec3 n, out vec4 found) {
    found = vec4(0.0);
    if (!has_mirror) return false;
    vec2 size = vec2(textureSize(mirror_light, 0)), at = in_picture() * size - 0.5;
    ivec2 low = ivec2(floor(at));
    vec2 part = at - vec2(low);
    float pixel = 2.0 * length(fwidth(point)), known = 0.0;
    for (int i = 0; i < 4; ++i) {
        ivec2 step = ivec2(i & 1, i >> 1), one = clamp(low + step, ivec2(0), ivec2(size) - 1);
        vec4 place = texelFetch(mirror_place, one, 0);
        if (place.a < 0.5) continue;
        vec2 near = mix(1.0 - part, part, vec2(step));
        float off = abs(dot(place.xyz - point, n)) / pixel;
        float weight = (near.x * near.y + 0.002) * exp(-off * off);
        found += weight * texelFetch(mirror_light, one, 0);
        known += weight;
    }
    found /= max(known, 1e-6);
    return known > 1e-4;
}

// Seen at a slant a lobe is narrower across the plane of view, by the cosine: the round one as wide as both
float narrowed(float rough, float c) { return rough * sqrt(c); }

vec3 any_side(vec3 n) { return normalize(cross(n, abs(n.z) < 0.9 ? vec3(0, 0, 1) : vec3(1, 0, 0))); }

// The room and the panel mirrored by a GGX surface, and how much of either the piece does not hide; across
// a grain the slopes are taken one by one, at even shares of the marginal of GGX, unless what is mirrored is
// known: it makes up for a round lobe.
void mirrored(vec3 view, vec3 n, Arriving light, float rough, bool grained, bool finely, float hidden, vec3 own,
              out vec3 seen, out float panel, out float clear) {
    bool known = light.known;
    vec4 here = light.mirror;
    float c = max(dot(n, view), 0.02), trusted = 0.0, weight = 0.0;
    clear = known ? here.a : hidden;
    vec3 room = vec3(0.0), r = reflect(-view, n);
    vec2 wide = vec2(rough);
    panel = 0.0;
#if BRUSHED
    if (grained) wide.y = across_here;
    vec3 y = grained && dot(cross_grain, cross_grain) > 0.5 ? cross_grain : any_side(n), x = cross(y, n);
#else
    vec3 y = any_side(n), x = cross(y, n);
#endif
    if (has_panel && finely) panel = ggx_panel(view, n, x, y, wide, trusted);
#if BRUSHED
    if (grained && !(known && trusted == 1.0)) {
        float closed = 0.0;
        for (int i = 0; i < across_taps; ++i) {
            float q = 2.0 * (float(i) + 0.5) / float(across_taps) - 1.0;
            vec3 m = normalize(n + across_here * q * inversesqrt(1.0 - q * q) * cross_grain);
            vec3 away = reflect(-view, m);
            float facing = max(dot(away, n), 0.0);
            if (facing <= 0.0) continue;
            if (!known) room += facing * mirrored_room(away, rough);
            if (has_panel) closed += facing * mirrored_panel(away, rough + 0.5 * across_here / float(across_taps));
            weight += facing;
        }
        room /= max(weight, 1e-4);
        panel = mix(closed / max(weight, 1e-4), panel, trusted);
    }
#endif
    // a grain is made up for by what is known
    if (known || weight == 0.0) room = mirrored_room(r, narrowed(sqrt(wide.x * wide.y), c));
    if (has_panel && weight == 0.0 && trusted < 1.0)
        panel = mix(mirrored_panel(r, narrowed(rough, c)), panel, trusted);
    seen = known ? max(room * here.a + here.rgb, 0.0) : room * hidden + own * (1.0 - hidden);
}

#if KIND == 2 || COVERED
vec3 metal(vec3 tone, float rough, bool grained, bool finely, vec3 view, vec3 n, float c, Arriving light) {
    // what the piece hides of the room is hidden from its mirror image too; of that a metal shows its own light
    float hidden = mix(1.0, clamp(light.open * 1.15, 0.0, 1.0), 0.85), panel, clear;
    vec3 seen;
    mirrored(view, n, light, rough, grained, finely, hidden, light.soft, seen, panel, clear);
    vec2 f = ggx_share(c, grained ? sqrt(rough * across_here) : rough);
    return (tone * f.x + f.y) * (seen + panel_radiance * panel * mix(clear, light.share, light.faces));
}
#endif

#if KIND == 1
vec3 coated(vec3 tone, float rough, vec3 view, vec3 n, float c, Arriving light) {
    float hidden = clamp(light.open * 1.15, 0.0, 1.0), panel, clear;
    vec3 seen;
    mirrored(view, n, light, rough, false, true, hidden, light.soft * tone, seen, panel, clear);
    vec2 f = ggx_share(c, rough);
    return tone * (light.soft + light.key) * COAT_KEEPS
         + (COAT_SHINE * f.x + f.y) * (seen + panel_radiance * panel * mix(clear, light.share, light.faces));
}
#endif

#if COVERED
float amount_of(int number) {
    vec2 at = (cover_to[number] * vec3(sheet, 1.0)).xy;
    if (number == 0) return texture(cover_0, at).r;
    if (number == 1) return texture(cover_1, at).r;
    if (number == 2) return texture(cover_2, at).r;
    return texture(cover_3, at).r;
}

vec3 covered(vec3 sum, vec3 view, vec3 n, float c, Arriving light) {
    for (int i = 0; i < cover_count; ++i) {
        float amount = amount_of(i);
        if (amount <= 0.004) continue;
        vec3 tone = cover_base[i];
        // a coat over so small a part is not told from a matt one, nor a light's shape in a small metal one
        vec3 over = cover_kind[i] == 2 ? metal(tone, cover_alpha[i], false, false, view, n, c, light)
                                       : tone * (light.soft + light.key);
        sum = mix(sum, over, amount);
    }
    return sum;
}
#endif

// How far the point is out of focus, in shares of the largest disc, by a thin lens.
float disc_here() {
    float deep = max(dot(point - eye, ahead), 1.0);
    return clamp(lens.x * abs(deep - lens.y) / (deep * lens.y), 0.0, 1.0);
}

void main() {
    vec3 view = parallel_view ? -ahead : normalize(eye - point);
    vec3 flat_n = normalize(normal);
#if KIND == 3
    if (dot(flat_n, view) < 0.0) flat_n = -flat_n;   // the far wall, seen from within
#endif
    vec3 n = bumped(flat_n);
    float c = dot(n, view);
    if (c < 0.02) { n = normalize(n + (0.02 - c) * view); c = 0.02; }
    vec4 stored = tile(tint_map);
    vec3 tone = base * stored.rgb * stored.rgb * tint_high;
    float turns = turning(flat_n);
    float rough = sqrt(pow(dullest > 0.0 ? mix(alpha, dullest, stored.a) : alpha, 2.0) + turns);
    across_here = sqrt(across * across + turns);
#if KIND == 3
    vec2 f = ggx_share(c, rough);
    float mirror = COAT_SHINE * f.x + f.y;
    vec4 behind;
    bool known = mirror_here(flat_n, behind);
    // half of what a wall of some millimetres keeps, by the length of the way through it
    vec3 through = pow(tone, vec3(0.25 / max(c, 0.25)));
    vec3 veiled = mix(vec3(1.0), vec3(0.9), min(2.0 * rough, 1.0));
    // towards its outline a wall bends away what is behind it
    through *= mix(1.0, 0.5, pow(1.0 - c, 3.0));
    if (glass_pass == 0) {
        if (known) { colour = vec4(0.0, 0.0, 0.0, 1.0); return; }
        colour = vec4(pow(through * veiled, vec3(1.0 / 2.4)), 1.0);
        return;
    }
    vec3 room;
    float panel, clear;
    Arriving nothing;
    nothing.known = false;
    mirrored(view, n, nothing, rough, false, true, 1.0, vec3(0.0), room, panel, clear);
    if (has_panel) room += panel_radiance * panel;
    if (known) { colour = vec4(shown(behind.rgb + mirror * room + veil_here()), 1.0); return; }
    float milky = clamp(2.2 * (rough - 0.02), 0.0, 0.75);
    vec3 scattered = 0.72 * tone * soft_here().rgb;
    float shows = clamp(mirror + milky * (1.0 - mirror), 0.0, 1.0);
    vec3 sum = mirror * room + milky * (1.0 - mirror) * scattered;
    if (glass_pass == 2) {
        vec2 size = vec2(textureSize(seen_map, 0));
        vec4 seen = textureLod(seen_map, gl_FragCoord.xy / size, film * FILM_BLURS);
        vec3 lets = through * veiled * (1.0 - shows);
        if (film > 0.0) {
            vec3 lit = soft_here().rgb;
            if (has_panel) lit += panel_radiance * panel_on(n) * lit_share(flat_n);
            sum = mirror * room + (1.0 - mirror) * tone * film * FILM_RETURNS * lit;
            lets = (1.0 - mirror) * tone * (1.0 - film * FILM_RETURNS);
        }
        colour = vec4(shown(sum + lets * uncurved(decoded(seen.rgb)) / gain), seen.a);
        return;
    }
    colour = vec4(shown(sum / max(shows, 1e-4)), shows);
#else
    Arriving light;
    vec4 arrived = soft_here();
    if (is_ground) {
        vec2 at = over_ground();
        float edge = smoothstep(0.80, 1.0, max(abs(at.x), abs(at.y)));
        arrived = mix(texture(light_map, at * 0.5 + 0.5), ground_open, edge);
    }
    if (has_tube_map) arrived.rgb += texture(tube_map, (sheet - tube_box.xy) / tube_box.zw).rgb;
    light.soft = arrived.rgb;
    light.open = arrived.a;
    light.key = vec3(0.0);
    light.share = light.faces = 0.0;
    light.known = mirror_here(flat_n, light.mirror);
    if (has_panel) {
        vec3 way = panel_middle - point;
        way = normalize(way);
        float seen = panel_on(n);
        light.faces = smoothstep(0.0, 0.35, dot(flat_n, way));
        light.share = seen > 0.0 || dot(flat_n, way) > 0.0 ? lit_share(flat_n) : 0.0;
        light.key = panel_radiance * seen * light.share;
    }
#if KIND == 2
    vec3 sum = metal(tone, rough, BRUSHED == 1, true, view, n, c, light);
#elif KIND == 1
    vec3 sum = coated(tone, rough, view, n, c, light);
#else
    vec3 sum = tone * (light.soft + light.key);
#endif
#if COVERED
    // what is seen by light that goes back is what stands behind the eye
    if (sends_back > 0.0) {
        vec3 behind = mirrored_room(view, BACK_SPREAD);
        if (has_panel) behind += panel_radiance * mirrored_panel(view, BACK_SPREAD) * light.share;
        sum += sends_back * max(dot(flat_n, view), 0.0) * tone * behind;
    }
    sum = covered(sum, view, n, c, light);
#endif
#if CAUGHT
    // it is part of the photo: of it only what becomes of its light is shown
    vec3 open = light.soft;
    if (caught_by == 1) open = ground_open.rgb;
    if (caught_by == 2) open = photo_open;
    if (has_panel) {
        vec3 plain_n = caught_by == 2 ? photo_normal : flat_n;
        open += panel_radiance * panel_on(plain_n) * (caught_by == 3 ? light.share : 1.0);
    }
    vec3 seen;
    if (!photo_here(sum / max(photo_tone * open, 1e-5), veil_here(), seen)) seen = encoded(vec3(OUTSIDE));
    colour = vec4(seen, 0.0);
    return;
#endif
    float there = disc_here();
    if (is_ground && ground_fades.y > 0.0)
        there = 1.0 - smoothstep(ground_fades.x, ground_fades.y, length(point - ground_middle));
    colour = vec4(shown(sum + emission + veil_here()), there);
#endif
}
