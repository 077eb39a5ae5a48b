// @ts-check
// How a point scatters light, and the light around it, for the graphics hardware: core/bsdf and
// core/shade's preview, line by line.

export const light = /* glsl */ `
uniform samplerCube sky;
uniform sampler2D table; // by cosine and roughness: scale, bias, dip, sheen; the last column is the mean
uniform vec3 harmonics[9];
uniform vec3 sun, sunLight; // in the shape's frame; over pi
uniform float sunRadius, gain, white;
uniform mat3 toSky; // from the shape's frame
uniform vec3 edge, coatColor, sheenColor, emission, sigma;
uniform float index, diffuseRough, transmission, anisotropy, coat, coatRough, coatF0, sheenRough, glow;
uniform vec2 grain;

const float LEAST_ALPHA = 0.0004, LEAST_COSINE = 0.004;

struct Point {
  Meeting m;
  vec3 t, b, n, along, up, base; // what the normal map says; the shape's
  vec3 color, specular, sheen, emission, coatNormal;
  float rough, metal, occ, opacity, transmission, coat, anisotropy;
};

vec4 look(float c, float rough) {
  return textureLod(table, vec2(clamp(c * 32.0, 0.5, 31.5) / 33.0, (clamp(rough, 0.0, 1.0) * 31.0 + 0.5) / 32.0), 0.0);
}
vec4 meanOf(float rough) { return textureLod(table, vec2(32.5 / 33.0, (clamp(rough, 0.0, 1.0) * 31.0 + 0.5) / 32.0), 0.0); }

float fifth(float v) { float s = v * v; return s * s * v; }

struct Fresnel { vec3 f0, dip; float f90; }; // f90 is 1, but 0 where nothing is reflected

vec3 fresnelAt(Fresnel f, float c) {
  float k = 1.0 - c, k5 = fifth(k);
  return clamp(f.f0 + (f.f90 - f.f0) * k5 - f.dip * c * k5 * k, 0.0, 1.0);
}

vec2 lobeOf(float rough, float anisotropy) {
  float a = rough * rough;
  return max(vec2(a * (1.0 + anisotropy), a * (1.0 - anisotropy)), LEAST_ALPHA);
}
float density(vec2 g, vec3 h) {
  vec2 k = h.xy / g;
  float d = dot(k, k) + h.z * h.z;
  return 1.0 / (PI * g.x * g.y * d * d);
}
float stretched(vec2 g, vec3 w) { return sqrt(g.x * g.x * w.x * w.x + g.y * g.y * w.y * w.y + w.z * w.z); }
float visibility(vec2 g, vec3 wo, vec3 wi) { return 0.5 / max(wi.z * stretched(g, wo) + wo.z * stretched(g, wi), 1e-9); }

float diffuseAlbedo(float c, float r) {
  float k = 1.0 - c;
  float g = k * (0.0571085289 + k * (0.491881867 + k * (-0.332181442 + k * 0.0714429953)));
  return (1.0 + r * g) / (1.0 + (0.5 - 2.0 / (3.0 * PI)) * r);
}
float diffuseMean(float r) { return (1.0 + (2.0 / 3.0 - 28.0 / (15.0 * PI)) * r) / (1.0 + (0.5 - 2.0 / (3.0 * PI)) * r); }
vec3 diffuseOf(vec3 albedo, float r, vec3 wo, vec3 wi) {
#if !ROUGH_DIFFUSE
  return albedo / PI;
#else
  float s = dot(wo, wi) - wo.z * wi.z;
  if (s > 0.0) s /= max(max(wo.z, wi.z), 1e-6);
  float af = 1.0 / (1.0 + (0.5 - 2.0 / (3.0 * PI)) * r), avg = diffuseMean(r);
  float back = max(1.0 - diffuseAlbedo(wo.z, r), 1e-7) * max(1.0 - diffuseAlbedo(wi.z, r), 1e-7) / max(1.0 - avg, 1e-7);
  return (albedo * af * (1.0 + r * s) + albedo * albedo * avg / (1.0 - albedo * (1.0 - avg)) * back) / PI;
#endif
}
vec3 diffuseReturn(vec3 albedo, float r, float c) {
#if !ROUGH_DIFFUSE
  return albedo;
#else
  float avg = diffuseMean(r), e = diffuseAlbedo(c, r);
  return albedo * e + albedo * albedo * avg / (1.0 - albedo * (1.0 - avg)) * (1.0 - e);
#endif
}

float sheenLobe(float nh, float nv, float nl, float r) {
  float k = 1.0 / max(r, 0.25);
  return (2.0 + k) * pow(max(1.0 - nh * nh, 1e-7), k / 2.0) / (2.0 * PI) / (4.0 * max(nl + nv - nl * nv, 1e-4));
}

// A surface prepared for one direction of view.
struct Scatter {
  vec3 wo, multi, mean, atBase, atSheen, tint;
  Fresnel f;
  float lost, whiteBase, coatCos, coatMulti, coatLost, atCoat, whiteCoat, rough, coatRough;
};

vec3 specularAlbedo(Scatter c, vec4 e) { return clamp(c.f.f0 * e.x + c.f.f90 * e.y - c.f.dip * e.z + c.multi * (1.0 - e.x - e.y), 0.0, 1.0); }

Scatter prepare(Point p, vec3 wo, float rough, float coatRough_) {
  Scatter c;
  if (wo.z < LEAST_COSINE) wo = normalize(vec3(wo.xy, LEAST_COSINE));
  c.wo = wo;
  c.rough = rough;
  c.coatRough = coatRough_;
  c.f = Fresnel(mix(p.specular, p.color, p.metal), vec3(0.0), p.specular == vec3(0.0) ? p.metal : 1.0);
#if EDGE
  {
    const float rim = 1.0 / 7.0;
    float q = 6.0 / 7.0, weight = rim * q * q * q * q * q * q;
    vec3 dip = max((p.color + (1.0 - p.color) * fifth(q)) * (1.0 - edge) / weight, -5.0 * (1.0 - p.color)); // more than white at no angle
    c.f.dip = dip * p.metal;
  }
#endif
  vec4 avg = meanOf(rough);
  c.lost = max(1.0 - avg.x - avg.y, 0.0);
  vec3 f = c.f.f0 + (c.f.f90 - c.f.f0) / 21.0 - c.f.dip / 126.0;
  c.multi = f * f * (1.0 - c.lost) / (1.0 - f * c.lost);
  c.mean = specularAlbedo(c, avg);
  vec4 e = look(wo.z, rough);
  c.whiteBase = e.x + e.y;
  c.atBase = specularAlbedo(c, e);
  c.atCoat = 0.0;
  c.coatCos = 1.0;
  c.tint = vec3(0.0);
#if COAT
  {
    avg = meanOf(coatRough_);
    c.coatLost = max(1.0 - avg.x - avg.y, 0.0);
    float m = coatF0 > 0.0 ? coatF0 + (1.0 - coatF0) / 21.0 : 0.0;
    c.coatMulti = m * m * (1.0 - c.coatLost) / (1.0 - m * c.coatLost);
    c.coatCos = max(dot(wo, p.coatNormal), LEAST_COSINE);
    e = look(c.coatCos, coatRough_);
    c.whiteCoat = e.x + e.y;
    c.atCoat = clamp(coatF0 * e.x + (coatF0 > 0.0 ? e.y : 0.0) + c.coatMulti * (1.0 - e.x - e.y), 0.0, 1.0);
    c.tint = -log(max(coatColor, 1e-4)) / 2.0;
  }
#endif
  c.atSheen = vec3(0.0);
#if SHEEN
  c.atSheen = p.sheen * look(wo.z, sheenRough).w;
#endif
  return c;
}

float insideCoat(float c) { return inversesqrt(1.0 - (1.0 - c * c) / 2.25); }
vec3 absorbed(Scatter c, Point p, float nl) {
  return mix(vec3(1.0), exp(-c.tint * (insideCoat(max(nl, 0.0)) + insideCoat(c.coatCos))), p.coat);
}

// The BRDF times the cosine of wi.
vec3 reflected(Scatter c, Point p, vec3 wi) {
  if (wi.z <= 0.0) return vec3(0.0);
  vec3 h = normalize(wi + c.wo);
  float oh = dot(c.wo, h);
  vec4 inward = look(wi.z, c.rough);
  vec2 g = lobeOf(c.rough, p.anisotropy);
  vec3 result = fresnelAt(c.f, oh) * density(g, h) * visibility(g, c.wo, wi);
  if (c.lost > 1e-5) result += c.multi * (1.0 - c.whiteBase) * (1.0 - inward.x - inward.y) / (c.lost * PI);
  float scattered = (1.0 - p.metal) * (1.0 - p.transmission);
  result += diffuseOf(p.color, diffuseRough, c.wo, wi) * scattered * (1.0 - c.atBase) * (1.0 - specularAlbedo(c, inward)) / max(1.0 - c.mean, 1e-3);
#if COAT
  {
    float nl = dot(wi, p.coatNormal);
    result *= (1.0 - p.coat * c.atCoat) * absorbed(c, p, nl) * wi.z;
    if (nl > 0.0) {
      float a = max(c.coatRough * c.coatRough, LEAST_ALPHA), nh = dot(h, p.coatNormal), d = max(1.0 - nh * nh, 0.0) / (a * a) + nh * nh, q = a * a;
      float v = 0.5 / max(nl * sqrt(q + (1.0 - q) * c.coatCos * c.coatCos) + c.coatCos * sqrt(q + (1.0 - q) * nl * nl), 1e-9);
      float lobe = v / (PI * q * d * d) * fresnelAt(Fresnel(vec3(coatF0), vec3(0.0), coatF0 > 0.0 ? 1.0 : 0.0), oh).x;
      if (c.coatLost > 1e-5) {
        vec4 e = look(nl, c.coatRough);
        lobe += c.coatMulti * (1.0 - c.whiteCoat) * (1.0 - e.x - e.y) / (c.coatLost * PI);
      }
      result += lobe * p.coat * nl;
    }
  }
#else
  result *= wi.z;
#endif
#if SHEEN
  result = result * (1.0 - c.atSheen) + p.sheen * sheenLobe(h.z, c.wo.z, wi.z, sheenRough) * wi.z;
#endif
  return result;
}

vec3 mirrored(vec3 d, float rough) {
  float r = clamp(rough, 0.0, 1.0);
  return textureLod(sky, toSky * d, 6.0 * r * (1.9 - 0.9 * r)).rgb;
}
vec3 irradiance(vec3 n) {
  vec3 d = toSky * n;
  vec3 e = harmonics[0] * 0.282095 + harmonics[1] * 0.488603 * d.y + harmonics[2] * 0.488603 * d.z + harmonics[3] * 0.488603 * d.x
    + harmonics[4] * 1.092548 * d.x * d.y + harmonics[5] * 1.092548 * d.y * d.z + harmonics[6] * 0.315392 * (3.0 * d.z * d.z - 1.0)
    + harmonics[7] * 1.092548 * d.x * d.z + harmonics[8] * 0.546274 * (d.x * d.x - d.y * d.y);
  return max(e, 0.0);
}

vec3 local(Point p, vec3 v) { return vec3(dot(v, p.t), dot(v, p.b), dot(v, p.n)); }

// The light that comes through from the other side.
vec3 behind(Point p, vec3 d) {
#if THIN || !SOLID
  return mirrored(d, p.rough);
#else
  float n = max(index, 1.0001);
  vec3 inward = refract(d, p.n, 1.0 / n), outward = inward, left = vec3(1.0);
  float from, to;
  Ray r = Ray(p.m.p + inward * 1e-3 * extent.x, inward);
  if (enter(r, 0.0, from, to)) {
    left = exp(-sigma * to);
    vec3 wall = frameAt(r.o + r.d * to)[2];
    vec3 bent = refract(inward, -wall, n);
    outward = bent == vec3(0.0) ? inward - 2.0 * dot(inward, wall) * wall : bent;
  }
  return mirrored(outward, p.rough) * left;
#endif
}
`;
