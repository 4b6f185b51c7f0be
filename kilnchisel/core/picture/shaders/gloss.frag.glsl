// One layer of the room as a rough surface mirrors it: GGX-weighted average about each direction.
in vec2 screen;
out vec4 colour;
uniform sampler2DArray room;   // layer n: the room averaged over 2^n x 2^n pixels
uniform float last_level;
uniform float rough;

void main() {
    float azimuth = (screen.x * 0.5 + 0.5) * 2.0 * PI;
    float polar = (screen.y * 0.5 + 0.5) * PI;   // row 0 of the target is up
    vec3 n = vec3(sin(polar) * sin(azimuth), sin(polar) * cos(azimuth), cos(polar));
    vec3 helper = abs(n.z) < 0.9 ? vec3(0, 0, 1) : vec3(1, 0, 0);
    vec3 t = normalize(cross(helper, n)), b = cross(n, t);
    vec3 sum = vec3(0.0);
    float weight = 0.0;
    const int COUNT = 32;
    float texel = 2.0 * PI * PI / float(textureSize(room, 0).x * textureSize(room, 0).y);
    for (int i = 0; i < COUNT; ++i) {
        float e1 = (float(i) + 0.5) / float(COUNT);
        float e2 = fract(float(i) * 0.61803398875);
        float cos2 = (1.0 - e1) / (1.0 + (rough * rough - 1.0) * e1);
        float ch = sqrt(cos2), sh = sqrt(max(1.0 - cos2, 0.0));
        vec3 h = sh * cos(2.0 * PI * e2) * t + sh * sin(2.0 * PI * e2) * b + ch * n;
        vec3 l = 2.0 * dot(n, h) * h - n;
        float facing = dot(n, l);
        if (facing <= 0.0) continue;
        float a2 = rough * rough;
        float q = cos2 * (a2 - 1.0) + 1.0;
        float density = a2 / (PI * q * q) / 4.0;
        float wide = 1.0 / (float(COUNT) * density);
        float level = rough < 0.001 ? 0.0 : max(0.5 * log2(wide / texel) + 0.5, 0.0);
        level = min(level, last_level);
        float low = floor(level);
        vec2 at = round_uv(l, 0.0);
        vec3 near = textureLod(room, vec3(at, low), 0.0).rgb;
        vec3 far = textureLod(room, vec3(at, min(low + 1.0, last_level)), 0.0).rgb;
        sum += mix(near, far, level - low) * facing;
        weight += facing;
        if (rough < 0.001) break;
    }
    colour = vec4(sum / max(weight, 1e-6), 1.0);
}
