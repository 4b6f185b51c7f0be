out vec2 screen;      // -1..1
void main() {
    screen = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2) * 2.0 - 1.0;
    gl_Position = vec4(screen, 0.999999, 1.0);
}
