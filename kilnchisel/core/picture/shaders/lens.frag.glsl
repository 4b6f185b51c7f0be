// What is out of focus is spread over its disc. The picture's alpha says how large that is, in shares of
// the largest; what stands before and behind is told apart by it: a sharp thing gives nothing to others.
in vec2 screen;
out vec4 colour;
uniform sampler2D picture;
uniform float most;               // radius of the largest disc, pixels
const int TAPS = 44, PROBES = 12;
const float GOLDEN = 2.39996323;

float disc_at(vec2 at) { return textureLod(picture, at, 0.0).a * most; }

void main() {
    vec2 at = screen * 0.5 + 0.5, pixel = 1.0 / vec2(textureSize(picture, 0));
    float turn = 6.2831853 * turned_here();
    float reach = disc_at(at);
    for (int i = 0; i < PROBES; ++i) {
        float far = most * sqrt((float(i) + 0.5) / float(PROBES)), angle = float(i) * GOLDEN + turn;
        if (disc_at(at + far * vec2(cos(angle), sin(angle)) * pixel) >= far) reach = max(reach, far);
    }
    vec4 own = textureLod(picture, at, 0.0);
    if (reach < 0.7) { colour = vec4(own.rgb, 1.0); return; }
    float own_disc = max(own.a * most, 0.6);
    vec4 sum = vec4(own.rgb * own.rgb, 1.0) / (own_disc * own_disc);
    for (int i = 0; i < TAPS; ++i) {
        float far = reach * sqrt((float(i) + 0.5) / float(TAPS)), angle = float(i) * GOLDEN + turn;
        vec4 tap = textureLod(picture, at + far * vec2(cos(angle), sin(angle)) * pixel, 0.0);
        float disc = max(tap.a * most, 0.6);
        sum += vec4(tap.rgb * tap.rgb, 1.0) * smoothstep(far - 0.7, far + 0.7, disc) / (disc * disc);
    }
    colour = vec4(sqrt(sum.rgb / sum.a), 1.0);
}
