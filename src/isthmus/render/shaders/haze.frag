#version 330
// Uneven haze, once a pixel: two fetches of one noise at two depths, drifting apart.
in vec2 uv; out vec4 o;
uniform sampler2D noise; uniform float time; uniform vec3 cam; uniform vec3 fwd; uniform vec3 rgt; uniform vec3 upv; uniform vec2 tanf; uniform float depth; uniform float uneven; uniform float grain;
void main() {
  vec2 s = (uv * 2.0 - 1.0) * tanf; vec3 d = fwd + rgt * s.x + upv * s.y, P = cam + d * (depth - 2.0);
  float h = texture(noise, P.xz * vec2(0.055, 0.085) * grain + vec2(time * 0.018, -time * 0.006)).r; P += d * 5.0;
  h += texture(noise, P.xz * vec2(0.10, 0.15) * grain + vec2(0.37 - time * 0.011, 0.11)).r;
  o = vec4(mix(1.0, 0.25 + 0.80 * h, uneven) * length(d));
}
