#version 330
// Illuminance on the plane, where nothing stands before it; `deck` shades what lies below it, and boxes what lies behind them.
flat in vec3 A; flat in vec4 D; flat in vec3 col; flat in vec2 edge; in vec3 q;
#ifdef SHAPED
flat in vec3 R; flat in vec3 U; flat in vec4 bl; flat in vec4 bx; flat in vec4 by; flat in vec4 gob;
uniform sampler2DArray gobos;
#endif
out vec4 o;
uniform sampler2D dep; uniform vec4 plane; uniform vec3 albedo; uniform vec4 deck; uniform float fall;
#ifdef SHADED
flat in vec4 sh; flat in float lens;
// shade.glsl
#endif
void main() {
  vec3 v = q - A;
  if (q.z < -0.05 && A.z > 0.0) { vec2 at = A.xy + v.xy * (-A.z / v.z); if (at.x > deck.x && at.x < deck.y && at.y > deck.z && at.y < deck.w) discard; }
#ifdef SHADED
  if (dot(v, D.xyz) > sh.w && shut(sh, A, q, lens / max(dot(v, D.xyz), 1e-3), 1.0 - 0.03 / length(v))) discard;
#endif
  float z = dot(v, D.xyz), r2 = dot(v, v), iz2 = 1.0 / (z * z), m2 = (r2 * iz2 - 1.0) * D.w, g = max(0.0, 1.0 - m2);
  float rim = clamp((1.0 - m2) * 12.0, 0.0, 1.0);
  g = mix(g * g, 0.34 * rim, edge.x) * clamp((edge.y - m2) * 16.0, 0.0, 1.0);
  float E = g * iz2 * max(0.0, -dot(plane.xyz, v)) * inversesqrt(r2);
#ifdef SHAPED
  vec2 at = vec2(dot(v, R), dot(v, U)) / z;
  vec4 out4 = clamp((bl - bx * at.x - by * at.y) * 24.0 + 0.5, 0.0, 1.0);
  E *= out4.x * out4.y * out4.z * out4.w;
  if (gob.x > -0.5) {
    vec2 g2 = vec2(at.x * gob.y + at.y * gob.z, at.y * gob.y - at.x * gob.z) * gob.w;
    E *= texture(gobos, vec3(g2.x * 0.5 + 0.5, 0.5 - g2.y * 0.5, gob.x)).r;
  }
#endif
  if (fall < 1.5) E *= pow(max(z, 0.3) / 6.0, 2.0 - fall);
  float zz = 1.0 / gl_FragCoord.w;
  E *= step(zz, texelFetch(dep, ivec2(gl_FragCoord.xy), 0).r + 0.05 + 0.012 * zz);
  o = vec4(col * albedo * E, 0.0);
}
