#version 330
// Light scattered towards the camera along this pixel's ray: the exact integral through the beam, ended at the surface
// behind it. Across the beam it is (1−r²)² when soft, even when hard, and between them. Iris and blades end the chord;
// a gobo's mean along it comes from its plate. What a box keeps dark is asked where the ray comes nearest to the axis.
flat in vec3 w; flat in vec3 col; flat in vec3 fz; flat in vec2 edge; in vec4 v;
#ifdef SHAPED
flat in vec4 bl; flat in vec4 bx; flat in vec4 by; flat in vec4 gob;
uniform sampler2DArray plates;
#endif
out vec4 o;
uniform sampler2D dep; uniform float px; uniform float fall;
#ifdef SHADED
in vec3 u; flat in vec3 ap; flat in vec4 sh; uniform vec3 cam;
// shade.glsl
#endif
void main() {
  float wx = w.x, wz = w.z, ny = wz * v.x - wx * v.z, nx = -wz * v.y;
  float C2 = ny * ny + nx * nx + 1e-8, vc = v.x * ny - v.y * nx, wc = wx * ny;
  float ts = -wc / vc, zs = wz + ts * v.z, iC = inversesqrt(C2), nz = wx * v.y * iC, m2 = nz * nz;
  float f = px * ts / (gl_FragCoord.w * zs * w.y), wd = 1.0 / (1.0 + f * f * 0.6); m2 *= wd;  // a thin beam never falls between pixels
  float q = max(0.0, 1.0 - m2), a = sqrt(q);
  float te = texelFetch(dep, ivec2(gl_FragCoord.xy), 0).r * gl_FragCoord.w;
  float k = iC * sqrt(wd) / (a + 1e-4), z1 = wz + te * v.z;
  float lim = min(1.0, sqrt(max(0.0, edge.y - m2)) / (a + 1e-4)), low = -lim, top = lim;
#ifdef SHAPED
  vec2 on = vec2(ny, -nx) * iC, off = vec2(nx, ny) * (-nz * sqrt(wd) * iC);
  vec4 A = bx * off.x + by * off.y - bl, B = (bx * on.x + by * on.y) * (a + 1e-4);
  for (int i = 0; i < 4; i++) {
    if (abs(B[i]) < 1e-5) { if (A[i] > 0.0) top = low; }
    else if (B[i] > 0.0) top = min(top, -A[i] / B[i]);
    else low = max(low, -A[i] / B[i]);
  }
  top = max(top, low);
#endif
  float s1 = z1 > 1e-4 ? clamp((wc + te * vc) * k / z1, low, top) : top;
  float s0 = wz > 1e-4 ? clamp(wc * k / wz, low, top) : low;
  float u1 = s1 * s1, u0 = s0 * s0;
  float S = 0.9375 * (s1 * (1.0 + u1 * (-0.66667 + 0.2 * u1)) - s0 * (1.0 + u0 * (-0.66667 + 0.2 * u0)));
  float I = mix(q * q * S, 0.3125 * (s1 - s0), edge.x) * a * iC * 0.56 / gl_FragCoord.w;
#ifdef SHADED
  float tm = clamp(ts, 0.0, te), zm = wz + tm * v.z;
  if (zm > max(fz.x, sh.w) && shut(sh, ap, cam + u * tm, fz.x / zm, 0.99)) discard;
#endif
  I *= clamp((zs - fz.x) * fz.y, 0.0, 1.0) * max(0.0, 1.0 - zs * fz.z);
  if (fall < 1.5) I *= pow(max(zs, 0.3) * 0.25, 2.0 - fall);
#ifdef SHAPED
  if (gob.x > -0.5) {
    float turn = gob.y - atan(on.y, on.x);
    float through = texture(plates, vec3(nz * sqrt(wd) * gob.w * 0.5 + 0.5, turn * 0.15915494, gob.x)).r;
    I *= through * 1.6;  // what a gobo leaves is looked at by an eye that has closed less
  }
#endif
  o = vec4(col * max(I, 0.0), 0.0);
}
