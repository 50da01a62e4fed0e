#version 330
in vec3 p; out vec2 uv;
void main() { uv = p.xy * 0.5 + 0.5; gl_Position = vec4(p.xy, 0.0, 1.0); }
