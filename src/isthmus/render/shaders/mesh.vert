#version 330
// Structures: position, normal and own colour in one buffer.
in vec3 p; in vec3 n; in vec3 c;
uniform mat4 vp;
out vec3 wp; out vec3 wn; out vec3 base;
void main() { wp = p; wn = n; base = c; gl_Position = vp * vec4(p, 1.0); }
