#version 330
// Light over the scene; the blend is a screen. Kept short: it runs once a pixel.
in vec2 uv; out vec4 o;
uniform sampler2D light;
void main() { o = texture(light, uv); }
