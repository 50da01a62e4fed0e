#version 330
// Light over the scene by a screen blend, which is exponential tone mapping; rows turned over for the window.
in vec2 uv; out vec4 o;
uniform sampler2D scene; uniform sampler2D light;
void main() {
  vec2 at = vec2(uv.x, 1.0 - uv.y);
  vec3 c = texture(light, at).rgb, s = texture(scene, at).rgb;
  float n = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  float l = max(c.r, max(c.g, c.b)); c = mix(c, vec3(l), clamp((l - 1.0) * 0.2, 0.0, 0.6));  // very bright light bleeds to white
  vec3 b = 1.0 - exp2(c * -1.4427);
  vec3 lin = s + (1.0 - s) * b;
  o = vec4(lin + (n - 0.5) / 255.0, 1.0);
}
