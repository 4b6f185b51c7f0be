// Only what shines by itself, and what hides it.
out vec4 colour;
uniform vec3 emission;
void main() { colour = vec4(emission, 1.0); }
