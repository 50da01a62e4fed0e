#version 330
// Light scattered towards the camera along this pixel's ray: the exact integral of (1−r²)²/z² through the beam,
// ended at the surface behind it.
flat in vec3 w; flat in vec3 col; flat in vec3 fz; in vec4 v;
out vec4 o;
uniform sampler2D dep; uniform float px;
void main() {
  float wx = w.x, wz = w.z, ny = wz * v.x - wx * v.z, nx = -wz * v.y;
  float C2 = ny * ny + nx * nx + 1e-8, vc = v.x * ny - v.y * nx, wc = wx * ny;
  float ts = -wc / vc, zs = wz + ts * v.z, iC = inversesqrt(C2), nz = wx * v.y * iC, m2 = nz * nz;
  float f = px * ts / (gl_FragCoord.w * zs * w.y), wd = 1.0 / (1.0 + f * f * 0.6); m2 *= wd;  // a thin beam never falls between pixels
  float q = max(0.0, 1.0 - m2), a = sqrt(q);
  float te = texelFetch(dep, ivec2(gl_FragCoord.xy), 0).r * gl_FragCoord.w;
  float k = iC * sqrt(wd) / (a + 1e-4), z1 = wz + te * v.z;
  float s1 = z1 > 1e-4 ? clamp((wc + te * vc) * k / z1, -1.0, 1.0) : 1.0;
  float s0 = wz > 1e-4 ? clamp(wc * k / wz, -1.0, 1.0) : -1.0;
  float u1 = s1 * s1, u0 = s0 * s0;
  float S = 0.9375 * (s1 * (1.0 + u1 * (-0.66667 + 0.2 * u1)) - s0 * (1.0 + u0 * (-0.66667 + 0.2 * u0)));
  float I = q * q * a * iC * S * 0.56 / gl_FragCoord.w * clamp((zs - fz.x) * fz.y, 0.0, 1.0) * max(0.0, 1.0 - zs * fz.z);
  o = vec4(col * max(I, 0.0), 0.0);
}
