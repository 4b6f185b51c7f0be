// Where each pixel is, which way it faces, and the direction across its grain.
in vec3 point;
in vec3 normal;
in vec2 uv;
in vec4 soft;
in vec2 sheet;
layout(location = 0) out vec4 place;   // and the number of the item
layout(location = 1) out vec4 facing;
layout(location = 2) out vec4 grain;
uniform float number;
void main() {
    vec3 n = normalize(normal), t, b;
    along_sheet(point, uv, n, t, b);
    place = vec4(point, number);
    facing = vec4(n, 0.0);
    grain = vec4(b * inversesqrt(max(dot(b, b), 1e-20)), 0.0);
}
