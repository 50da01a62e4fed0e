#version 330
// A beam: iA = virtual apex and T (tan of the compact hull), iD = direction and axial distance of the lens,
// iC = colour and axial distance of its end. In the beam's own frame X lies towards the camera; x and y are divided by T.
// iE = hardness, iris, gobo, where something ends it; iS = boxes that may shade it, and where they begin; iR = right and turn of the gobo; iB, iG = distances and angles of four blades; iH = hull.
in vec3 p; in vec4 iA; in vec4 iD; in vec4 iC; in vec4 iE;
#ifdef SHADED
in vec4 iS; out vec3 u; flat out vec3 ap; flat out vec4 sh;
#endif
#ifdef SHAPED
in vec4 iR; in vec4 iB; in vec4 iG; in vec4 iH;
flat out vec4 bl; flat out vec4 bx; flat out vec4 by; flat out vec4 gob;
#endif
uniform mat4 vp; uniform vec3 cam; uniform float px; uniform float floorz; uniform float expo;
flat out vec3 w; flat out vec3 col; flat out vec3 fz; flat out vec2 edge; out vec4 v;

void frame(vec3 A, vec3 d, out vec3 X, out vec3 Y) {
  vec3 r = cam - A; vec3 x = r - d * dot(r, d); float l = length(x);
  X = l > 1e-4 ? x / l : normalize(abs(d.z) < 0.95 ? cross(d, vec3(0, 0, 1)) : cross(d, vec3(1, 0, 0)));
  Y = cross(d, X);
}

void finish(vec3 q, vec3 A, vec3 d, vec3 X, vec3 Y, float T) {
  vec3 r = cam - A; vec3 ray = q - cam;
#ifdef SHADED
  u = ray; ap = A; sh = iS;
#endif
  w = vec3(dot(r, X) / T, T, dot(r, d));
  v = vec4(dot(ray, X) / T, dot(ray, Y) / T, dot(ray, d), length(ray));
  // Henyey and Greenstein, g = 0.45: haze throws light forward
  const float g = 0.45; float cg = -dot(d, normalize(A + d * 3.0 - cam));
  col = iC.rgb * (expo * (1.0 - g * g) * pow(1.0 + g * g - 2.0 * g * cg, -1.5) / (T * T));
  fz = vec3(iD.w, 1.0 / (iD.w * 0.35 + 0.03), 1.0 / iC.w);
  edge = vec2(iE.x, iE.y * iE.y);
#ifdef SHAPED
  vec3 R = iR.xyz, U = cross(R, d);
  float c = dot(X, R), s = dot(X, U);  // the beam's frame seen from its right: right = c, s
  bl = iB; bx = cos(iG) * c + sin(iG) * s; by = cos(iG) * dot(Y, R) + sin(iG) * dot(Y, U);
  gob = vec4(iE.z, atan(s, c) - iR.w, 0.0, iH.x);  // right and up are mirrored against X and Y
#endif
  gl_Position = vp * vec4(q, 1.0);
}

float clip_end(vec3 o, vec3 e, float t) { return e.z < -1e-4 ? min(t, max(0.0, (floorz - o.z) / e.z)) : t; }
