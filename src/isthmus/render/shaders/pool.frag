#version 330
// Illuminance on the plane, where nothing stands before it; `deck` shades what lies below it.
flat in vec3 A; flat in vec4 D; flat in vec3 col; in vec3 q;
out vec4 o;
uniform sampler2D dep; uniform vec4 plane; uniform vec3 albedo; uniform vec4 deck;
void main() {
  vec3 v = q - A;
  if (q.z < -0.05 && A.z > 0.0) { vec2 at = A.xy + v.xy * (-A.z / v.z); if (at.x > deck.x && at.x < deck.y && at.y > deck.z && at.y < deck.w) discard; }
  float z = dot(v, D.xyz), r2 = dot(v, v), iz2 = 1.0 / (z * z), g = max(0.0, 1.0 - (r2 * iz2 - 1.0) * D.w);
  float E = g * g * iz2 * max(0.0, -dot(plane.xyz, v)) * inversesqrt(r2);
  float zz = 1.0 / gl_FragCoord.w;
  E *= step(zz, texelFetch(dep, ivec2(gl_FragCoord.xy), 0).r + 0.05 + 0.012 * zz);
  o = vec4(col * albedo * E, 0.0);
}
