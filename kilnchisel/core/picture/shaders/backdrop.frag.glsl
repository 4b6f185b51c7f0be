out vec4 colour;
uniform sampler2D backdrop;
uniform float turn;
uniform bool has_photo;
uniform vec3 ahead;
uniform vec3 right;
uniform vec3 up;
uniform float raised; // of a lens that is shifted, as a tangent
uniform vec2 tall;    // tangents of half angles; zero for a parallel view
void main() {
    vec2 screen = in_picture() * 2.0 - 1.0;
    if (tall.y == 0.0) {
        vec3 sheet = vec3(SHEET) * (1.0 - SHEET_FALLS * dot(screen, screen) / 2.0);
        colour = vec4(shown(sheet + veil_here()), 0.0);
        return;
    }
    if (has_photo) {
        vec3 seen;
        if (!photo_here(vec3(1.0), veil_here(), seen)) seen = encoded(vec3(OUTSIDE));
        colour = vec4(seen, 0.0);
        return;
    }
    vec3 d = normalize(ahead + screen.x * tall.x * right + (screen.y * tall.y + raised) * up);
    // its alpha says that it is not to be put out of focus again
    colour = vec4(shown(textureLod(backdrop, round_uv(d, turn), 0.0).rgb + veil_here()), 0.0);
}
