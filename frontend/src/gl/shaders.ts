/** GLSL shared by both views. */
export const SRGB = /* glsl */ `
vec3 fromSrgb(vec3 c) {
  return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c));
}
vec3 toSrgb(vec3 c) {
  c = clamp(c, 0.0, 1.0);
  return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
}
`;

/** Two stored channels are x and y of a unit vector; z follows. */
export const VECTORS = /* glsl */ `
vec3 readVector(vec4 texel, bool twoChannels, float green) {
  vec3 v = texel.xyz * 2.0 - 1.0;
  if (twoChannels) v.z = sqrt(max(0.0, 1.0 - dot(v.xy, v.xy)));
  v.y *= green;
  return normalize(v);
}
`;
