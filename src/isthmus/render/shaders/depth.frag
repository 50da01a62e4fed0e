#version 330
// Linear depth along the view, one sample for each pixel of the beam buffer.
out vec4 o; uniform sampler2D hw; uniform vec2 nf; uniform int sc;
void main() {
  ivec2 b = min(ivec2(gl_FragCoord.xy) * sc + sc / 2, textureSize(hw, 0) - 1);
  float z = texelFetch(hw, b, 0).r * 2.0 - 1.0;
  o = vec4(2.0 * nf.x * nf.y / (nf.y + nf.x - z * (nf.y - nf.x)));
}
