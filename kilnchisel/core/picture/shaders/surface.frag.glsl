in vec3 point;
in vec3 normal;
in vec2 uv;
in vec4 soft;
in vec2 sheet;
out vec4 colour;

uniform int kind;                 // 0 matte, 1 coated, 2 metal
uniform vec3 base;
uniform float alpha;
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
uniform float panel_half;
uniform vec3 panel_radiance;
uniform sampler2D shadow_map;
uniform mat4 shadow_clip;
uniform float shadow_texel;       // mm
uniform float shadow_depth;       // mm between the map's near and far
uniform int shadow_taps;

uniform vec3 emission;            // the surface's own light
uniform bool has_tube_map;        // light of tubes over a sheet, baked
uniform sampler2D tube_map;
uniform vec4 tube_box;            // its low corner and its size, mm of the sheet

uniform bool is_ground;
uniform sampler2D ground_light;
uniform mat3 ground_axes;         // columns: along, across, normal
uniform vec3 ground_middle;
uniform float ground_half;
uniform vec4 ground_open;         // light and openness away from the piece

const vec2 DISC[16] = vec2[16](
    vec2(-0.326, -0.406), vec2(-0.840, -0.074), vec2(-0.696, 0.457), vec2(-0.203, 0.621),
    vec2(0.962, -0.195), vec2(0.473, -0.480), vec2(0.519, 0.767), vec2(0.185, -0.893),
    vec2(0.507, 0.064), vec2(0.896, 0.412), vec2(-0.322, -0.933), vec2(-0.792, -0.598),
    vec2(0.05, 0.12), vec2(-0.45, 0.10), vec2(0.12, 0.42), vec2(-0.10, -0.25));

vec3 bumped(vec3 n) {
    if (!textured) return n;
    vec3 px = dFdx(point), py = dFdy(point);
    vec2 ux = dFdx(uv), uy = dFdy(uv);
    vec3 across_x = cross(py, n), across_y = cross(n, px);
    vec3 t = across_x * ux.x + across_y * uy.x;
    vec3 b = across_x * ux.y + across_y * uy.y;
    float lt = dot(t, t), lb = dot(b, b);
    if (lt < 1e-16 || lb < 1e-16) return n;
    vec2 slope = (texture(slope_map, uv).rg * 2.0 - 1.0) * slope_steep;
    return normalize(n - slope.x * t * inversesqrt(lt) - slope.y * b * inversesqrt(lb));
}

// How much of the panel is seen: blockers are averaged first, so that shadows soften with distance.
float lit_share(vec3 n) {
    vec4 at = shadow_clip * vec4(point + n * shadow_texel * 1.5, 1.0);
    vec3 map = at.xyz * 0.5 + 0.5;
    if (any(lessThan(map.xy, vec2(0.0))) || any(greaterThan(map.xy, vec2(1.0)))) return 1.0;
    float spread = panel_half / length(panel_middle - point);   // mm a mm of depth
    float texel = 1.0 / float(textureSize(shadow_map, 0).x);
    float slack = 1.2 * shadow_texel / shadow_depth;
    float search = clamp(spread * 60.0 / shadow_texel, 3.0, 90.0) * texel;
    float turn = fract(sin(dot(floor(gl_FragCoord.xy), vec2(12.9898, 78.233))) * 43758.5453) * 6.2831853;
    mat2 spin = mat2(cos(turn), sin(turn), -sin(turn), cos(turn));
    float sum = 0.0, count = 0.0;
    for (int i = 0; i < 10; ++i) {
        float d = texture(shadow_map, map.xy + spin * DISC[i] * search).r;
        if (d < map.z - slack) { sum += d; count += 1.0; }
    }
    if (count < 0.5) return 1.0;
    float gap = (map.z - sum / count) * shadow_depth;
    float radius = clamp(spread * gap / shadow_texel, 1.2, 90.0) * texel;
    float open = 0.0;
    for (int i = 0; i < shadow_taps; ++i) {
        float d = texture(shadow_map, map.xy + spin * DISC[i] * radius).r;
        open += step(map.z - slack, d);
    }
    return open / float(shadow_taps);
}

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
    return (ggx_edge(u + panel_half, width) - ggx_edge(u - panel_half, width))
         * (ggx_edge(v + panel_half, width) - ggx_edge(v - panel_half, width));
}

vec3 mirrored_room(vec3 r, float rough) {
    float layer = clamp((layers - 1.0) * sqrt(rough), 0.0, layers - 1.0);
    vec2 at = round_uv(r, 0.0);
    float low = floor(layer);
    vec3 a = textureLod(gloss_room, vec3(at, low), 0.0).rgb;
    vec3 b = textureLod(gloss_room, vec3(at, min(low + 1.0, layers - 1.0)), 0.0).rgb;
    return mix(a, b, layer - low);
}

// Reflectance of uniform light: scale and bias on the reflectance at normal incidence (ggx.py)
vec2 ggx_share(float c, float rough) { return texture(share_map, vec2(c, sqrt(rough))).rg; }

void main() {
    vec3 view = parallel_view ? -ahead : normalize(eye - point);
    vec3 flat_n = normalize(normal);
    vec3 n = bumped(flat_n);
    float c = dot(n, view);
    if (c < 0.02) { n = normalize(n + (0.02 - c) * view); c = 0.02; }
    vec3 stored = texture(tint_map, uv).rgb;
    vec3 tone = base * stored * stored * tint_high;
    vec4 arrived = soft;
    if (is_ground) {
        vec2 at = (transpose(ground_axes) * (point - ground_middle)).xy / ground_half;
        float edge = smoothstep(0.80, 1.0, max(abs(at.x), abs(at.y)));
        arrived = mix(texture(ground_light, at * 0.5 + 0.5), ground_open, edge);
    }
    if (has_tube_map) arrived.rgb += texture(tube_map, (sheet - tube_box.xy) / tube_box.zw).rgb;
    vec3 r = reflect(-view, n);
    float open = arrived.a;
    // what the piece hides of the room is hidden from its mirror image too
    float hidden = kind == 2 ? mix(1.0, clamp(open * 1.15, 0.0, 1.0), 0.85) : clamp(open * 1.15, 0.0, 1.0);

    vec3 key = vec3(0.0);
    float share = 0.0, facing = 0.0;
    if (has_panel) {
        vec3 way = panel_middle - point;
        float far = length(way);
        way /= far;
        facing = max(dot(n, way), 0.0);
        share = max(dot(flat_n, way), 0.0) > 0.0 ? lit_share(flat_n) : 0.0;
        key = panel_radiance * (4.0 * panel_half * panel_half) * max(-dot(way, panel_facing), 0.0)
            / (far * far) / PI * facing * share;
    }
    vec3 light;
    if (kind == 2) {
        vec2 f = ggx_share(c, alpha);
        vec3 reflectance = tone * f.x + f.y;
        light = reflectance * mirrored_room(r, alpha) * hidden;
        // what a metal hides from itself it shows of its own light
        light += reflectance * arrived.rgb * (1.0 - hidden);
        if (has_panel) light += reflectance * panel_radiance * mirrored_panel(r, alpha) * share;
    } else {
        vec3 diffuse = tone * (arrived.rgb + key);
        light = diffuse;
        if (kind == 1) {
            light = diffuse * COAT_KEEPS;
            vec2 f = ggx_share(c, alpha);
            float reflectance = COAT_SHINE * f.x + f.y;
            light += reflectance * mirrored_room(r, alpha) * hidden;
            light += reflectance * arrived.rgb * tone * (1.0 - hidden);
            if (has_panel) light += reflectance * panel_radiance * mirrored_panel(r, alpha) * share;
        }
    }
    colour = vec4(shown(light + emission + veil_here()), 1.0);
}
