#version 330
// The pool of a beam on a plane: the box of its ellipse, cut to the plane's rectangle. iQ = low and high along, across.
in vec3 p; in vec4 iA; in vec4 iD; in vec4 iC; in vec4 iE; in vec4 iQ;
#ifdef SHAPED
in vec4 iR; in vec4 iB; in vec4 iG; in vec4 iH;
flat out vec3 R; flat out vec3 U; flat out vec4 bl; flat out vec4 bx; flat out vec4 by; flat out vec4 gob;
#endif
uniform vec4 plane; uniform vec3 centre; uniform vec3 along; uniform vec3 across; uniform float expo; uniform mat4 vp;
flat out vec3 A; flat out vec4 D; flat out vec3 col; flat out vec2 edge; out vec3 q;
#ifdef SHADED
in vec4 iS; flat out vec4 sh; flat out float lens;
#endif
void main() {
  float T = iA.w; A = iA.xyz;
#ifdef SHADED
  sh = iS; lens = iD.w;
#endif
  D = vec4(iD.xyz, 1.0 / (T * T));
  q = centre + along * mix(iQ.x, iQ.y, p.x * 0.5 + 0.5) + across * mix(iQ.z, iQ.w, p.y * 0.5 + 0.5) + plane.xyz * 0.004;
  col = iC.rgb * (expo * 9.0 * pow(T, -1.3));
  edge = vec2(iE.x, iE.y * iE.y);
#ifdef SHAPED
  R = iR.xyz / T; U = cross(iR.xyz, iD.xyz) / T;
  bl = iB; bx = cos(iG); by = sin(iG); gob = vec4(iE.z, cos(iR.w), sin(iR.w), iH.x);
#endif
  gl_Position = vp * vec4(q, 1.0);
}
