#version 330
// Light over the scene by a screen blend; rows turned over for the window. Kept short: it runs once a pixel.
in vec2 uv; out vec4 o;
uniform sampler2D scene; uniform sampler2D light; uniform int high;
void main() {
  vec3 s = texelFetch(scene, ivec2(gl_FragCoord.x, high - 1 - int(gl_FragCoord.y)), 0).rgb;
  vec3 b = texture(light, vec2(uv.x, 1.0 - uv.y)).rgb;
  o = vec4(s + b - s * b, 1.0);
}
