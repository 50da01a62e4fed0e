#version 330
in vec2 uv; flat in vec3 col; flat in float ds;
out vec4 o;
uniform sampler2D dep;
void main() {
  float r2 = dot(uv, uv), g = max(0.0, 1.0 - r2); g *= g;
  float c = g * (0.35 + 2.2 * exp(-r2 * 22.0)) * step(ds - 0.4, texelFetch(dep, ivec2(gl_FragCoord.xy), 0).r);
  o = vec4(col * c + vec3(0.6) * dot(col, vec3(0.33)) * exp(-r2 * 40.0) * step(1e-4, c), 0.0);
}
