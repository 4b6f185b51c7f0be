in vec3 in_point;
uniform mat4 clip;
uniform mat4 stance;
void main() { gl_Position = clip * stance * vec4(in_point, 1.0); }
