in vec3 in_point;
in vec3 in_normal;
in vec2 in_uv;
in vec4 in_light;
uniform mat4 clip;
uniform mat4 stance;
uniform mat2 grain;      // surface millimetres to texture coordinates
out vec3 point;
out vec3 normal;
out vec2 uv;
out vec4 soft;           // gathered light (rgb) and openness
out vec2 sheet;

void main() {
    vec4 world = stance * vec4(in_point, 1.0);
    point = world.xyz;
    normal = mat3(stance) * in_normal;
    uv = grain * in_uv;
    soft = in_light;
    sheet = in_uv;
    gl_Position = clip * world;
}
