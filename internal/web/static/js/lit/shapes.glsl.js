// @ts-check
// The shapes, the relief on them, and the material's maps, for the graphics hardware: core/shape and
// core/shade's tracing, line by line. What a picture does not need is left out before it is compiled. Lengths are metres; the shape's middle is the origin.

export const shapes = /* glsl */ `
// A renderer in software runs both ways of a branch, and skips none but the loops that nothing enters.
#define WHEN(c) for (int once = 0; once < ((c) ? 1 : 0); once++)
#define BALL 0
#define BOX 1
#define COLUMN 2
#define DRAPE 3
#define FLAT 4
#define SOLID (SHAPE < DRAPE)
#define STEEP (SHAPE == DRAPE)
uniform vec3 extent; // ball: radius; box: half its sides; column: radius, half its height; drape: width, height; flat: side
uniform float steep;
uniform float top, bottom, fade; // of the relief that is marched
uniform vec2 range; // what stored heights of 0 and 1 mean
uniform vec2 repeats; // a metre
uniform vec2 middle; // of the map, in repeats
uniform vec2 texels; // of the largest level
uniform float levels;
uniform sampler2D mapColor, mapNormal, mapData, mapHeight, mapGlow, mapSpec, mapSheen;

const float PI = 3.14159265358979, ENDLESS = 1e6;

struct Ray { vec3 o, d; };
struct Meeting { vec3 p; float at; vec2 uv; float side, lod; };

bool enterBox(Ray r, vec3 h, out float a, out float b) {
  vec3 k = 1.0 / r.d, m = (-h - r.o) * k, n = (h - r.o) * k;
  vec3 lo = min(m, n), hi = max(m, n);
  a = max(max(max(lo.x, lo.y), lo.z), 0.0);
  b = min(min(hi.x, hi.y), hi.z);
  return a <= b;
}

bool enter(Ray r, float grow, out float a, out float b) {
#if SHAPE == BALL
  float near = -dot(r.o, r.d), radius = extent.x + grow;
  vec3 p = r.o + near * r.d;
  float k = radius * radius - dot(p, p);
  bool hit = k > 0.0;
  k = sqrt(max(k, 0.0));
  a = max(near - k, 0.0);
  b = near + k;
  return hit && b > 0.0;
#elif SHAPE == BOX
  return enterBox(r, extent + grow, a, b);
#elif SHAPE == DRAPE
  return enterBox(r, vec3(extent.xy * 0.5, extent.x * 0.05 + grow), a, b);
#elif SHAPE == FLAT
  a = max((grow - r.o.z) / r.d.z, 0.0);
  b = a + 1e6;
  return r.d.z < 0.0;
#else
  float radius = extent.x + grow, tall = extent.y + grow;
  float q = max(dot(r.d.xz, r.d.xz), 1e-12), near = -dot(r.o.xz, r.d.xz) / q;
  vec2 p = r.o.xz + near * r.d.xz;
  float k = radius * radius - dot(p, p);
  bool hit = k > 0.0;
  k = sqrt(max(k, 0.0) / q);
  float y = abs(r.d.y) < 1e-9 ? 1e-9 : r.d.y, m = (-tall - r.o.y) / y, n = (tall - r.o.y) / y;
  a = max(max(near - k, min(m, n)), 0.0);
  b = min(near + k, max(m, n));
  return hit && a < b;
#endif
}

// The cloth at (x, y): how far it stands out, and its slopes.
vec2 foldDepth(float y) {
  float s = clamp(0.5 - y / extent.y, 0.0, 1.0);
  return vec2(extent.x * 0.05 * (0.7 + 0.3 * s * (2.0 - s)), -extent.x * 0.05 * 0.3 * (2.0 - 2.0 * s) / extent.y);
}
vec2 foldPhase(float x) {
  float turn = 2.0 * PI, q = turn * 1.3 * x / extent.x;
  return vec2(turn * 4.5 * x / extent.x + 0.8 * sin(q + 1.0), turn / extent.x * 4.5 + 0.8 * turn * 1.3 / extent.x * cos(q + 1.0));
}
vec3 cloth(vec2 at) {
  vec2 a = foldDepth(at.y), p = foldPhase(at.x);
  return vec3(a.x * cos(p.x), -a.x * p.y * sin(p.x), a.y * cos(p.x));
}
float alongTo(float x) {
  vec2 p = foldPhase(x);
  const float m = 2.0 * PI * 0.05 * 0.87 * 4.5;
  float s = sqrt(1.0 + m * m), q = sqrt(1.0 + m * m / 2.0), half_ = (1.0 + s) / 2.0;
  return (half_ + q) / 2.0 * x + ((1.0 - s) / 2.0 * sin(2.0 * p.x) / 2.0 + (half_ - q) / 2.0 * sin(4.0 * p.x) / 4.0) / p.y;
}

int boxSide(vec3 p) {
  vec3 k = abs(p) - extent;
  return k.z >= k.x && k.z >= k.y ? 2 : k.x >= k.y ? 0 : 1;
}

// u, v in metres; how far above the surface; how far from where the map breaks off.
vec4 place(vec3 p) {
#if SHAPE == BALL
  float axis = length(p.xz), l = length(p);
  return vec4(extent.x * atan(p.x, p.z), -extent.x * atan(p.y, axis), l - extent.x, axis);
#elif SHAPE == FLAT
  return vec4(p.x, -p.y, p.z, ENDLESS);
#elif SHAPE == DRAPE
  vec3 z = cloth(p.xy);
  return vec4(alongTo(p.x) - alongTo(0.0), -p.y, (p.z - z.x) / sqrt(1.0 + z.y * z.y + z.z * z.z), ENDLESS);
#elif SHAPE == COLUMN
  float outward = length(p.xz) - extent.x, up = abs(p.y) - extent.y;
  vec4 side = vec4(extent.x * atan(p.x, p.z), -p.y, outward, -up);
  vec4 end = vec4(p.x, p.y > 0.0 ? p.z - extent.x - extent.y : extent.y + extent.x - p.z, up, -outward);
  return outward >= up ? side : end;
#else
  vec3 h = extent, q = abs(p) - h;
  int side = boxSide(p);
  vec4 front = vec4(p.z > 0.0 ? p.x : 2.0 * h.x + 2.0 * h.z - p.x, -p.y, q.z, min(-q.x, -q.y));
  vec4 beside = vec4(p.x > 0.0 ? h.x + h.z - p.z : p.z - h.z - h.x, -p.y, q.x, min(-q.y, -q.z));
  vec4 over = vec4(p.x, p.y > 0.0 ? p.z - h.z - h.y : h.y + h.z - p.z, q.y, min(-q.x, -q.z));
  return side == 2 ? front : side == 0 ? beside : over;
#endif
}

// Tangents along u and against v, and the normal.
mat3 frameAt(vec3 p) {
#if SHAPE == BALL
  vec3 n = normalize(p), t = vec3(n.z, 0.0, -n.x);
  float l = length(t);
  t = l > 1e-5 ? t / max(l, 1e-5) : vec3(1.0, 0.0, 0.0);
  return mat3(t, cross(n, t), n);
#elif SHAPE == FLAT
  return mat3(1.0);
#elif SHAPE == DRAPE
  vec3 z = cloth(p.xy), n = normalize(vec3(-z.y, -z.z, 1.0)), t = normalize(vec3(1.0, 0.0, z.y));
  return mat3(t, cross(n, t), n);
#elif SHAPE == COLUMN
  float l = length(p.xz), s = p.y < 0.0 ? -1.0 : 1.0;
  vec3 n = vec3(p.x, 0.0, p.z) / max(l, 1e-12);
  if (l - extent.x < abs(p.y) - extent.y) return mat3(vec3(1.0, 0.0, 0.0), vec3(0.0, 0.0, -s), vec3(0.0, s, 0.0));
  return mat3(vec3(n.z, 0.0, -n.x), vec3(0.0, 1.0, 0.0), n);
#else
  int side = boxSide(p);
  float s = p[side] < 0.0 ? -1.0 : 1.0;
  if (side == 2) return mat3(vec3(s, 0.0, 0.0), vec3(0.0, 1.0, 0.0), vec3(0.0, 0.0, s));
  if (side == 0) return mat3(vec3(0.0, 0.0, -s), vec3(0.0, 1.0, 0.0), vec3(s, 0.0, 0.0));
  return mat3(vec3(1.0, 0.0, 0.0), vec3(0.0, 0.0, -s), vec3(0.0, s, 0.0));
#endif
}

// In repeats, on the side that is looked at.
vec4 locate(vec3 p, float side) {
  vec4 k = place(p);
  return vec4(k.xy * repeats + middle, k.z * side, k.w);
}

float lodOf(float footprint) { return clamp(log2(max(footprint * texels.x * repeats.x, 1.0)), 0.0, levels - 1.0); }

float stored(vec2 uv, float lod) {
  vec2 k = textureLod(mapHeight, uv, lod).rg;
  return (k.x * 65280.0 + k.y * 255.0) / 65535.0;
}

float heightAt(vec2 uv, float lod, float edge) {
  float h = max(mix(range.x, range.y, stored(uv, lod)), bottom);
  return edge < fade ? h * smoothstep(0.0, fade, edge) : h;
}

float gapAt(vec4 k, float lod) {
#if RELIEF
  return k.z - heightAt(k.xy, lod, k.w);
#else
  return k.z;
#endif
}

#if SHAPE == BALL
// The map along a ray, by its slopes at a point: marching asks for it many times.
struct Walk { float at, reach; vec2 uv, slope; float edge; };

Walk walkFrom(Ray r, float t) {
  vec3 p = r.o + t * r.d;
  vec4 k = locate(p, 1.0);
  float l = length(p), axis = max(k.w, 0.02 * extent.x), away = dot(r.d, p) / l;
  return Walk(t, 0.1 * axis, k.xy, vec2((r.d.x * p.z - r.d.z * p.x) / (axis * axis), -(r.d.y - away * p.y / l) / axis) * extent.x * repeats, k.w);
}
vec4 walkTo(Ray r, float t, float side, inout Walk w) {
  WHEN(abs(t - w.at) > w.reach) w = walkFrom(r, t);
  return vec4(w.uv + (t - w.at) * w.slope, (length(r.o + t * r.d) - extent.x) * side, w.edge);
}
#else
struct Walk { float at; };
Walk walkFrom(Ray r, float t) { return Walk(t); }
vec4 walkTo(Ray r, float t, float side, inout Walk w) { return locate(r.o + t * r.d, side); }
#endif

bool trace(Ray r, float pixel, out Meeting m) {
  float from, to;
  m = Meeting(vec3(0.0), 0.0, vec2(0.0), 1.0, 0.0);
  bool hit = enter(r, top, from, to);
#if !RELIEF && !STEEP
  m.at = from;
  m.p = r.o + from * r.d;
  WHEN(hit) m.uv = locate(m.p, 1.0).xy;
  return hit && !(SOLID && from <= 0.0);
#else
  bool found = false;
  WHEN(hit) {
    vec3 p = r.o + from * r.d;
    if (!SOLID && place(p).z < 0.0) m.side = -1.0;
    float footprint = pixel * from;
    m.lod = floor(lodOf(footprint) + 0.5);
    float slant = max(-dot(r.d, frameAt(p)[2]) * m.side, 0.08);
    float least = max((top - bottom) / slant / (FAST == 0 ? 16.0 : 8.0), footprint * 0.5);
#if !RELIEF
    least = max(footprint * 0.5, extent.x * 1e-4);
#endif
    float at = from, before = from, gap = 0.0, gapBefore = 0.0;
    Walk w = walkFrom(r, from);
    for (int i = 0; i < 64; i++) {
      vec4 k = walkTo(r, at, m.side, w);
      gap = gapAt(k, m.lod);
      if (k.z <= top + 1e-6 && gap <= 0.0) {
        found = true;
        break;
      }
      float stride = k.z <= top + 1e-6 ? max(least, gap * 0.5 / steep) : max((k.z - top) / steep + 1e-6, least * 0.5);
      gapBefore = k.z <= top + 1e-6 ? gap : k.z - bottom;
      before = at;
      at += stride;
      if (at > to + stride) break;
    }
    WHEN(found) {
      float a = before, b = at, gapA = gapBefore, gapB = gap;
      vec4 k;
      for (int n = 0; n < (FAST == 0 ? 3 : 2); n++) {
        float d = gapA - gapB;
        at = d > 1e-12 ? a + (b - a) * clamp(gapA / d, 0.05, 0.95) : (a + b) / 2.0;
        k = walkTo(r, at, m.side, w);
        gap = gapAt(k, m.lod);
        if (gap > 0.0) { a = at; gapA = gap; } else { b = at; gapB = gap; }
      }
      m.at = at;
      m.uv = k.xy;
      m.p = r.o + at * r.d;
    }
  }
  return found;
#endif
}

// How much of the sun is seen from a meeting, 0..1.
float sunlit(Meeting m, vec3 n, vec3 sun, float radius, float grain) {
#if !RELIEF && !STEEP
  return SOLID && dot(n, sun) <= 0.0 ? 0.0 : 1.0;
#else
  if (!bool(RELIEF) && SOLID && dot(n, sun) <= 0.0) return 0.0;
  float from, to, lit = 1.0, d = grain;
  bool inside = enter(Ray(m.p + n * grain * 0.5, sun), top, from, to);
  WHEN(inside) {
    Ray r = Ray(m.p, sun);
    Walk w = walkFrom(r, 0.0);
    for (int i = 0; i < (FAST == 0 ? 28 : 12); i++) {
      if (d >= to || lit <= 0.0) break;
      vec4 k = walkTo(r, d, m.side, w);
      float stride = max(d * (FAST == 0 ? 0.22 : 0.45), grain * 0.8);
      if (k.z <= top) lit = min(lit, 0.5 + 0.5 * gapAt(k, m.lod) / (radius * d + grain * 0.35));
      else {
#if STEEP
        stride = max(stride, (k.z - top) / steep);
#else
        break;
#endif
      }
      d += stride;
    }
  }
  lit = max(lit, 0.0);
  return lit * lit * (3.0 - 2.0 * lit);
#endif
}
`;
