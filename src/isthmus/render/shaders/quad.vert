// A tapered quad through the axis, facing the camera, stretched where the beam is seen end-on.
void main() {
  vec3 A = iA.xyz, d = iD.xyz, X, Y; float T = iA.w; frame(A, d, X, Y);
  float zh = clip_end(A, d, iE.w);
  float zf = max(zh, max(max(clip_end(A, d + X * T, iE.w), clip_end(A, d - X * T, iE.w)), max(clip_end(A, d + Y * T, iE.w), clip_end(A, d - Y * T, iE.w))));
  vec3 e = normalize(A + d * 0.5 * (iD.w + zh) - cam); vec3 s = cross(d, e); float sl = length(s); s = sl > 1e-3 ? s / sl : X;
  float cg = abs(dot(d, e)); zf = min(zf, zh * 1.6);
  float z = mix(iD.w, zf, p.y); vec3 c0 = A + d * z; float rf = zf * T;
  float r = max(z * T, rf * smoothstep(0.6, 1.0, cg)) + px * 1.3 * distance(c0, cam);
  vec3 up = cross(e, s); if (dot(up, d) < 0.0) up = -up;
  finish(c0 + s * (p.x * r) + up * ((p.y * 2.0 - 1.0) * rf * cg * smoothstep(0.3, 1.0, cg)), A, d, X, Y, T);
}
