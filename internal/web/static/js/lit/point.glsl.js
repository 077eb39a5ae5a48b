// @ts-check
// The maps at a point with the material's figures, for the graphics hardware: core/material's Decode and core/shade's
// look, in the same order.

export const point = /* glsl */ `
// What has a map (1) and what has none (0); of the latter, the values.
uniform vec4 mappedBase, mappedMore, mappedRare; // base colour, opacity, roughness, metallic; emissive, specular, sheen, normal; transmission, coat, anisotropy, occlusion
uniform vec3 valueColor, valueSpecular, valueSheen, valueEmissive;
uniform vec4 valueBase, valueRare; // opacity, roughness, metallic, occlusion; transmission, coat, anisotropy
uniform vec3 tint, gradeSlope, gradeOffset, gradePower, openness; // openness: factor on opacity, whether it is inverted, cut-off
uniform vec2 roughRange, slope; // slope: factors on the normals' slopes
uniform float saturation, metalFactor;

// A stored opacity as the figures have it. A texel of a coarse level covers many samples: where they are cut, what
// is left of it is about their mean.
float openAt(float stored, float lod) {
  float v = mix(stored, 1.0 - stored, openness.y), cutoff = openness.z;
  if (cutoff <= 0.0) return v * openness.x;
  float covered = openness.x >= cutoff ? v : 0.0, sharp = v * openness.x >= cutoff ? 1.0 : 0.0;
  return mix(sharp, covered, 1.0 - exp2(-lod));
}

// The maps at a meeting, seen along d, over the footprint of a pixel.
Point pointAt(Meeting m, vec3 d, float pixel) {
  Point p;
  p.m = m;
  mat3 f = frameAt(m.p);
  f[2] *= m.side;
  vec3 t = f[0], b = f[1], n = f[2];
  float narrow = pixel * m.at, wide = narrow / max(-dot(d, n), 0.05), taps = 1.0;
  vec2 span = vec2(0.0);
  bool slanted = FAST == 0 && wide > narrow * 1.5 && lodOf(wide) > 0.0;
  if (slanted) {
    float whole = wide;
    taps = min(floor(wide / narrow + 0.5), 4.0);
    wide = max(narrow, wide / taps);
    vec3 along = normalize(d - n * dot(d, n));
    span = vec2(dot(along, t), -dot(along, b)) * whole * (taps - 1.0) / taps * repeats;
  } else wide = FAST == 0 ? narrow : min(wide, narrow * 3.0);
  float lod = FAST == 0 ? lodOf(wide) : floor(lodOf(wide) + 0.5);
  vec4 color = vec4(0.0), normal = vec4(0.0), data = vec4(0.0), glows = vec4(0.0), spec = vec4(0.0), sheens = vec4(0.0);
  for (float i = 0.0; i < 4.0; i++) {
    if (i >= taps) break;
    vec2 uv = m.uv + span * (taps > 1.0 ? i / (taps - 1.0) - 0.5 : 0.0);
    color += textureLod(mapColor, uv, lod);
    normal += textureLod(mapNormal, uv, lod);
    data += textureLod(mapData, uv, lod);
#if MORE
    {
      glows += textureLod(mapGlow, uv, lod);
      spec += textureLod(mapSpec, uv, lod);
      sheens += textureLod(mapSheen, uv, lod);
    }
#endif
  }
  color /= taps;
  normal /= taps;
  data /= taps;
  vec2 xy = ((normal.rb * 65280.0 + normal.ga * 255.0) / 65535.0 * 2.0 - 1.0) * mappedMore.w;
  vec3 k = normalize(vec3(xy * slope, sqrt(max(1.0 - dot(xy, xy), 0.0))));
  p.base = n;
  p.along = t;
  p.up = b;
  p.n = normalize(t * k.x + b * k.y + n * k.z);
  p.color = mix(valueColor, color.rgb, mappedBase.x) * tint;
#if GRADE
  p.color = pow(max(p.color * gradeSlope + gradeOffset, 0.0), gradePower);
  p.color = max(mix(vec3(dot(p.color, vec3(0.2126, 0.7152, 0.0722))), p.color, saturation), 0.0);
#endif
  p.opacity = openAt(mix(valueBase.x, color.a, mappedBase.y), lod);
  p.rough = mix(roughRange.x, roughRange.y, mix(valueBase.y, data.r, mappedBase.z));
  vec2 spread = vec2(data.a * data.a * mappedMore.w, dot(slope, slope) * 0.5);
  p.rough = min(1.0, sqrt(sqrt(p.rough * p.rough * p.rough * p.rough + spread.x * spread.x * spread.y)));
  p.metal = mix(valueBase.z, data.g, mappedBase.w) * metalFactor;
  p.occ = mix(valueBase.w, data.b, mappedRare.w);
  p.specular = valueSpecular;
  p.transmission = transmission * valueRare.x;
  p.anisotropy = anisotropy * valueRare.z;
  p.coat = coat * valueRare.y;
  p.sheen = sheenColor * valueSheen;
  p.emission = emission == vec3(0.0) ? valueEmissive : valueEmissive * emission / white;
#if MORE
  {
    glows /= taps;
    spec /= taps;
    sheens /= taps;
    vec3 e = mix(valueEmissive, glows.rgb * glows.rgb * glow, mappedMore.x);
    p.emission = emission == vec3(0.0) ? e : e * emission / white;
    p.specular = mix(valueSpecular, spec.rgb, mappedMore.y);
    p.transmission = transmission * mix(valueRare.x, glows.a, mappedRare.x);
    p.coat = coat * mix(valueRare.y, spec.a, mappedRare.y);
    p.sheen = sheenColor * mix(valueSheen, sheens.rgb, mappedMore.z);
    p.anisotropy = anisotropy * mix(valueRare.z, sheens.a, mappedRare.z);
  }
#endif
#if PLASTER
  {
    p.color = vec3(0.55);
    p.specular = vec3(0.04);
    p.metal = p.transmission = p.anisotropy = p.coat = 0.0;
    p.sheen = p.emission = vec3(0.0);
  }
#endif
  float nv = -dot(p.n, d);
  if (nv < 0.02) p.n = normalize(p.n - d * (0.02 - nv));
  vec3 along = t * grain.x + b * grain.y;
  p.t = normalize(along - p.n * dot(p.n, along));
  p.b = cross(p.n, p.t);
  p.coatNormal = vec3(dot(n, p.t), dot(n, p.b), dot(n, p.n));
  return p;
}
`;
