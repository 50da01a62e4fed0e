#version 330
// Body parts: a unit mesh hanging from its top face, one instance a part. iR0..iR2 are the rows of its transform.
in vec3 p; in vec4 iR0; in vec4 iR1; in vec4 iR2; in vec3 iC; in vec3 iL; in vec3 iK;
uniform mat4 vp;
out vec3 wp; out vec3 base; flat out vec3 lamp; flat out vec3 lit;
void main() {
  vec4 q = vec4(p, 1.0);
  wp = vec3(dot(iR0, q), dot(iR1, q), dot(iR2, q));
  base = iC; lamp = iL; lit = iK;
  gl_Position = vp * vec4(wp, 1.0);
}
