// Shared by all draft shaders: the all-round picture lookup and the picture curve.
const float PI = 3.14159265358979;
uniform float exposure;

vec2 round_uv(vec3 d, float turn) {
    return vec2((atan(d.x, d.y) + turn) / (2.0 * PI), acos(clamp(d.z, -1.0, 1.0)) / PI);
}

// core/colour.py: picture_curve and srgb_encode
vec3 shown(vec3 light) {
    light = max(light, 0.0) * exp2(exposure);
    float peak = max(light.r, max(light.g, light.b));
    float room = 1.0 - SHOULDER;
    float bent = SHOULDER + room * (1.0 - exp(-(max(peak, SHOULDER) - SHOULDER) / room));
    light *= peak > SHOULDER ? bent / peak : 1.0;
    return mix(12.92 * light, 1.055 * pow(max(light, 1e-6), vec3(1.0 / 2.4)) - 0.055,
               step(0.0031308, light));
}
