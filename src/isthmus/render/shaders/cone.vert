// An eight-sided cone, for a camera inside the beam where a quad would show its edge.
void main() {
  vec3 A = iA.xyz, d = iD.xyz, X, Y; float T = iA.w; frame(A, d, X, Y);
  vec2 r = p.xy * 1.09 * T; vec3 e = d + X * r.x + Y * r.y; float t = p.z > 0.5 ? clip_end(A, e, iE.w) : iD.w;
  vec3 q = A + e * t;
  finish(q + (X * p.x + Y * p.y) * (px * 1.3 * distance(q, cam)), A, d, X, Y, T);
}
