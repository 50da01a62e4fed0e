#version 330
// Exponential tone mapping, at the size of the beam buffer, with a little noise against banding.
in vec2 uv; out vec4 o;
uniform sampler2D light;
void main() {
  vec3 c = texelFetch(light, ivec2(gl_FragCoord.xy), 0).rgb;
  float n = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  float l = max(c.r, max(c.g, c.b)); c = mix(c, vec3(l), clamp((l - 1.0) * 0.2, 0.0, 0.6));  // very bright light bleeds to white
  o = vec4(1.0 - exp2(c * -1.4427) + (n - 0.5) / 255.0, 1.0);
}
