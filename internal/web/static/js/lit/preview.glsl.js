// @ts-check
// The light that leaves a point, by prefiltered light: core/shade's preview, line by line.

export const preview = /* glsl */ `
float widened(float rough, float radius) { float a = rough * rough; return sqrt(sqrt(a * a + 0.25 * radius * radius)); }

// The light that leaves a point against d.
vec3 lightOf(Point p, vec3 d, float pixel) {
  vec3 view = -d, wo = local(p, view);
  Scatter c = prepare(p, wo, p.rough, coatRough);
  vec3 over = 1.0 - c.atSheen;
#if COAT
  over *= (1.0 - p.coat * c.atCoat) * absorbed(c, p, c.coatCos);
#endif
  float scattered = (1.0 - p.metal) * (1.0 - p.transmission);
  vec3 shareSpecular = c.atBase * over;
  vec3 shareDiffuse = diffuseReturn(p.color, diffuseRough, c.wo.z) * scattered * (1.0 - c.atBase) * over;
  float shareCoat = p.coat * c.atCoat * (1.0 - (c.atSheen.x + c.atSheen.y + c.atSheen.z) / 3.0);
  float nv = max(wo.z, 0.02);
  vec3 n = p.n;
#if ANISOTROPY
  {
    vec3 along = p.anisotropy < 0.0 ? p.t : p.b;
    n = normalize(mix(n, cross(cross(along, view), along), abs(p.anisotropy) * min(1.0, 5.0 * p.rough)));
  }
#endif
  float open = p.occ >= 0.999 ? 1.0 : clamp(pow(nv + p.occ, exp2(-16.0 * p.rough - 1.0)) - 1.0 + p.occ, 0.0, 1.0);
  float a = p.rough * p.rough;
  vec3 lobe = normalize(mix(p.n, 2.0 * dot(n, view) * n - view, (1.0 - a) * (sqrt(1.0 - a) + a)));
  vec3 result = shareSpecular * mirrored(lobe, p.rough) * open;
  vec3 e = irradiance(p.n);
  vec3 k = clamp(p.color, 0.0, 1.0), hollow = vec3(1.0);
  if (p.occ < 0.999) hollow = max(vec3(p.occ), ((p.occ * (2.0404 * k - 0.3324) + (-4.7951 * k + 0.6417)) * p.occ + (2.7552 * k + 0.6903)) * p.occ);
  result += shareDiffuse * e * hollow;
#if COAT
  result += mirrored(2.0 * dot(p.base, view) * p.base - view, coatRough) * shareCoat * open;
#endif
  result += c.atSheen * e * p.occ;
#if TRANSMISSION
  result += (1.0 - c.atBase) * p.color * (1.0 - p.metal) * p.transmission * over * behind(p, d);
#endif
#if SUN
  {
    vec3 wi = local(p, sun);
    WHEN(wi.z > 0.0) {
      float texel = exp2(p.m.lod) / (texels.x * repeats.x);
      float lit = sunlit(p.m, p.base, sun, sunRadius, max(pixel * p.m.at, texel));
      WHEN(lit > 0.0) {
        float r = widened(p.rough, sunRadius);
        WHEN(r - p.rough > 0.004 || p.coat > 0.0) c = prepare(p, wo, r, widened(coatRough, sunRadius));
        result += reflected(c, p, wi) * sunLight * PI * lit;
      }
    }
  }
#endif
  return result * gain + p.emission;
}
`;
