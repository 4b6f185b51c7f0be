// Nothing is drawn any more where the mask is dark: it is as near as can be there.
out vec4 colour;
uniform sampler2D mask;
void main() {
    colour = vec4(0.0);
    vec2 at = in_picture();
    bool within = all(greaterThan(at, vec2(0.0))) && all(lessThan(at, vec2(1.0)));
    gl_FragDepth = within && texelFetch(mask, ivec2(at * picture_size), 0).r > 0.5 ? 1.0 : 0.0;
}
