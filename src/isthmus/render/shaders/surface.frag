#version 330
// A matt surface under the room light. FLAT takes the normal from the surface itself.
in vec3 wp;
in vec3 base;
out vec4 o;
uniform vec3 cam; uniform vec3 amb; uniform float room;
#ifdef FLAT
flat in vec3 lamp; flat in vec3 lit;  // whence light of the beams comes, and how much
#else
in vec3 wn;
#endif
void main() {
#ifdef FLAT
  vec3 N = cross(dFdy(wp), dFdx(wp)); N = dot(N, N) > 1e-14 ? normalize(N) : normalize(cam - wp);  // a line has none
#else
  vec3 N = normalize(wn);
#endif
  vec3 V = normalize(cam - wp);
  float d = 0.35 + 0.45 * max(0.0, dot(N, normalize(vec3(0.3, -0.55, 0.8)))) + 0.25 * max(0.0, dot(N, normalize(vec3(-0.8, -0.4, 0.1))));
  float edge = 1.0 - abs(dot(N, V)); edge *= edge;
  vec3 c = base * d * room + base * 0.7 * room * edge * edge + base * amb * (0.6 - 0.4 * N.z);
#ifdef FLAT
  c += base * lit * (0.15 + 0.85 * max(0.0, dot(N, lamp)));
#endif
  c /= 1.0 + pow(distance(cam, wp) / 55.0, 4.0);  // the far water goes down in the dark
  o = vec4(1.0 - exp(-c), 1.0);
}
