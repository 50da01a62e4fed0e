#version 330
// The lens itself: brighter the more it looks at the camera.
in vec3 p; in vec4 iA; in vec4 iD; in vec4 iC;
uniform mat4 vp; uniform vec3 cam; uniform vec3 rgt; uniform vec3 upv; uniform float px;
out vec2 uv; flat out vec3 col; flat out float ds;
void main() {
  vec3 L = iA.xyz + iD.xyz * (iD.w + 0.02), to = cam - L; float dist = length(to), f = dot(iD.xyz, to / dist);
  float m2 = 1.0 / max(f * f, 0.001) - 1.0, core = f > 0.0 ? exp(-m2 * 1.2 / (iA.w * iA.w)) : 0.0;
  float a = max(0.0, f + 0.15) * 0.25 + core * 4.0, R = 0.10 + 0.14 * max(0.0, f) + 0.8 * core + px * dist;
  uv = p.xy; col = iC.rgb * a * 1.6; ds = dist - 0.5;
  gl_Position = vp * vec4(L + (rgt * p.x + upv * p.y) * R + to / dist * 0.12, 1.0);
}
