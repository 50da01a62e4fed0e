#version 330
// Body parts: a unit mesh hanging from its top face, one instance a part. iR0..iR2 are the rows of its transform.
in vec3 p; in vec4 iR0; in vec4 iR1; in vec4 iR2; in vec3 iC;
uniform mat4 vp;
out vec3 wp; out vec3 base;
void main() {
  vec4 q = vec4(p, 1.0);
  wp = vec3(dot(iR0, q), dot(iR1, q), dot(iR2, q));
  base = iC;
  gl_Position = vp * vec4(wp, 1.0);
}
