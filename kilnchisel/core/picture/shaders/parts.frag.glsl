// Which surface each pixel is of, and which way it faces.
in vec3 normal;
out vec4 part;
uniform float number;
void main() { part = vec4(normalize(normal) * 0.5 + 0.5, number / 255.0); }
