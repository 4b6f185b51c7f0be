// Shared by all draft shaders: the all-round picture lookup and the picture curve.
const float PI = 3.14159265358979;
uniform vec3 gain;   // exposure and white balance

uniform bool has_veil;
uniform sampler2D veil;           // what the glow adds, over the whole picture
uniform vec2 picture_size;
// from what is drawn to the picture: the same, but where edges are drawn again
uniform mat2 pixel_turn = mat2(1.0);
uniform vec2 pixel_from = vec2(0.0);

// Where in the picture it is, 0..1
vec2 in_picture() { return pixel_turn * (gl_FragCoord.xy - pixel_from) / picture_size; }

vec3 veil_here() {
    return has_veil ? texture(veil, in_picture()).rgb : vec3(0.0);
}

// 0..1, by which the points that are looked up are turned: even over any few neighbouring pixels
// (interleaved gradient noise: Jimenez, SIGGRAPH 2014 course on rendering, from memory)
float turned_here() {
    return fract(52.9829189 * fract(dot(floor(gl_FragCoord.xy), vec2(0.06711056, 0.00583715))));
}

vec2 round_uv(vec3 d, float turn) {
    return vec2((atan(d.x, d.y) + turn) / (2.0 * PI), acos(clamp(d.z, -1.0, 1.0)) / PI);
}

// The directions on a surface, along which its texture's u and v grow, not of unit length
void along_sheet(vec3 point, vec2 uv, vec3 n, out vec3 t, out vec3 b) {
    vec3 px = dFdx(point), py = dFdy(point);
    vec2 ux = dFdx(uv), uy = dFdy(uv);
    vec3 across_x = cross(py, n), across_y = cross(n, px);
    t = across_x * ux.x + across_y * uy.x;
    b = across_x * ux.y + across_y * uy.y;
}

// core/colour.py: lab and linear_of_lab
const mat3 XYZ = mat3(0.4123907993, 0.2126390059, 0.0193308187,
                      0.3575843394, 0.7151686788, 0.1191947798,
                      0.1804807884, 0.0721923154, 0.9505321522);
const vec3 WHITE = vec3(0.9504559271, 1.0, 1.0890577508);

vec3 lab_of(vec3 light) {
    vec3 t = XYZ * light / WHITE;
    vec3 f = mix(t * (29.0 * 29.0 / 36.0 / 3.0) + 4.0 / 29.0, pow(max(t, 1e-9), vec3(1.0 / 3.0)),
                 step(216.0 / 24389.0, t));
    return vec3(116.0 * f.y - 16.0, 500.0 * (f.x - f.y), 200.0 * (f.y - f.z));
}

vec3 linear_of(vec3 lab) {
    float fy = (lab.x + 16.0) / 116.0;
    vec3 f = vec3(fy + lab.y / 500.0, fy, fy - lab.z / 200.0);
    vec3 t = mix(3.0 * 36.0 / 841.0 * (f - 4.0 / 29.0), f * f * f, step(6.0 / 29.0, f));
    return inverse(XYZ) * (t * WHITE);
}

// core/colour.py: picture_curve, of light that is exposed
vec3 curved(vec3 light) {
    float peak = max(light.r, max(light.g, light.b));
    float room = 1.0 - SHOULDER;
    float bent = SHOULDER + room * (1.0 - exp(-(max(peak, SHOULDER) - SHOULDER) / room));
    light *= peak > SHOULDER ? bent / peak : 1.0;
    if (peak > PALE_FROM) {
        float share = PALE_MOST * (1.0 - exp(-(peak - PALE_FROM) / PALE_OVER));
        vec3 lab = lab_of(light);
        float bright = mix(lab.x, 100.0, share), low = 0.0, high = 1.0 - share;
        for (int i = 0; i < 9; ++i) {
            float part = (low + high) / 2.0;
            vec3 rgb = linear_of(vec3(bright, lab.yz * part));
            bool fits = all(greaterThan(rgb, vec3(-1e-4))) && all(lessThan(rgb, vec3(1.0001)));
            if (fits) low = part; else high = part;
        }
        light = clamp(linear_of(vec3(bright, lab.yz * low)), 0.0, 1.0);
    }
    return light;
}

// core/colour.py: srgb_encode
vec3 encoded(vec3 light) {
    return mix(12.92 * light, 1.055 * pow(max(light, 1e-6), vec3(1.0 / 2.4)) - 0.055,
               step(0.0031308, light));
}

vec3 shown(vec3 light) { return encoded(curved(max(light, 0.0) * gain)); }

// core/colour.py: srgb_decode
vec3 decoded(vec3 seen) {
    return mix(seen / 12.92, pow((seen + 0.055) / 1.055, vec3(2.4)), step(0.04045, seen));
}

// the exposed light that is shown so, as far as the shoulder keeps it
vec3 uncurved(vec3 plain) {
    float peak = max(plain.r, max(plain.g, plain.b)), room = 1.0 - SHOULDER;
    float over = clamp(peak, SHOULDER, MOST_SHOWN) - SHOULDER;
    return plain * (peak > SHOULDER ? (SHOULDER - room * log(1.0 - over / room)) / peak : 1.0);
}

// A photo behind the piece: core/picture/onphoto.py
uniform sampler2D photo;
uniform vec4 photo_box;      // where it lies in the picture: left, low, width and height, in shares of that

// what it shows, encoded, of light that is changed by a factor, with a veil over it; false where it does not
// reach. Most of it stays as it is, and costs nothing then.
bool photo_here(vec3 changed, vec3 veil, out vec3 seen) {
    vec2 at = (in_picture() - photo_box.xy) / photo_box.zw;
    if (any(lessThan(at, vec2(0.0))) || any(greaterThan(at, vec2(1.0)))) return false;
    seen = texture(photo, vec2(at.x, 1.0 - at.y)).rgb;
    if (all(lessThan(abs(changed - 1.0), vec3(UNCHANGED))) && veil == vec3(0.0)) return true;
    vec3 plain = decoded(seen), light = uncurved(plain);
    seen = encoded(plain + curved(light * changed + veil * gain) - curved(light));
    return true;
}
