// Whether a box stands between two points; `which` are up to three boxes, −1 where there is none. Only what lies from
// `start` to `stop` of the way counts.
uniform mat4 boxes[32];
bool shut(vec4 which, vec3 from, vec3 to, float start, float stop) {
  for (int i = 0; i < 3; i++) {
    if (which[i] < -0.5) return false;
    mat4 box = boxes[int(which[i] + 0.5)];
    vec3 a = (box * vec4(from, 1.0)).xyz, d = (box * vec4(to, 1.0)).xyz - a + 1e-7;
    vec3 one = (-1.0 - a) / d, other = (1.0 - a) / d, low = min(one, other), high = max(one, other);
    if (max(max(low.x, low.y), max(low.z, start)) < min(min(high.x, high.y), min(high.z, stop))) return true;
  }
  return false;
}
