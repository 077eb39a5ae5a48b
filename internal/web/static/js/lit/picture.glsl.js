// @ts-check
// One picture of the lens: rays, background, film. A quick picture (FAST) is encoded at once. At rest the first pass draws a picture in linear light as
// it is shown, once for each of several places within a pixel; the second encodes their mean.
import { light } from "./light.glsl.js";
import { point } from "./point.glsl.js";
import { preview } from "./preview.glsl.js";
import { shapes } from "./shapes.glsl.js";

export const corner = `#version 300 es
in vec2 position;
void main() { gl_Position = vec4(position, 0.0, 1.0); }
`;

export const picture = /* glsl */ `
precision highp float;
precision highp int;
precision highp sampler2D;
precision highp samplerCube;
${shapes}
${light}
${point}
${preview}
uniform vec2 size, jitter, pan;
uniform float away, span, exposure;
uniform mat3 toShape, skyOf; // from the world: to the shape's frame, to the light's
uniform bool tone;
uniform int channel;
// BACKGROUND: 0 none, 1 colour, 2 environment, 3 picture
uniform vec3 backColor, sunInSky;
uniform float sunAngle;
uniform sampler2D backPicture;
uniform vec2 backSize;
uniform float share; // of this picture in the mean
out vec4 result;

vec3 show(vec3 c) {
  c *= exposure;
  if (!tone) return clamp(c, 0.0, 1.0);
  return mix(max(c, 0.0), 1.0 - 0.4 * exp(-(c - 0.6) / 0.4), greaterThan(c, vec3(0.6)));
}

float codeOf(float v) { v = clamp(v, 0.0, 1.0); return v <= 0.04045 ? v / 12.92 : pow((v + 0.055) / 1.055, 2.4); }

// One channel alone, as its map looks.
vec3 channelOf(Point p) {
  if (channel == 1) return p.color;
  if (channel == 2) return show(p.emission);
  if (channel == 3) return p.specular;
  if (channel == 4) return p.sheen;
  if (channel == 5) {
    vec3 k = vec3(dot(p.n, p.along), dot(p.n, p.up), dot(p.n, p.base)) * 0.5 + 0.5;
    return vec3(codeOf(k.x), codeOf(k.y), codeOf(k.z));
  }
  float v = channel == 6 ? p.rough : channel == 7 ? 1.0 - p.rough : channel == 8 ? p.metal : channel == 9 ? p.occ : channel == 10 ? p.opacity
    : channel == 11 ? p.transmission : channel == 12 ? p.coat : channel == 13 ? p.anisotropy : stored(p.m.uv, p.m.lod);
  return vec3(codeOf(v));
}

vec4 shaded(Meeting m, vec3 d, float pixel) {
  Point p = pointAt(m, d, pixel);
#if CHANNEL
  return vec4(channelOf(p), 1.0);
#else
  return vec4(show(lightOf(p, d, pixel)) * p.opacity, p.opacity);
#endif
}

void main() {
  vec2 at = vec2(gl_FragCoord.x, size.y - gl_FragCoord.y) + jitter;
  float k = span / size.y;
  vec2 xy = vec2(at.x - size.x / 2.0, size.y / 2.0 - at.y) * k - pan * span;
  Ray w = Ray(vec3(0.0, 0.0, away), normalize(vec3(xy, -1.0)));
#if SHAPE == FLAT
  w = Ray(vec3(xy, away), vec3(0.0, 0.0, -1.0));
#endif
  Ray r = Ray(toShape * w.o, toShape * w.d);
  float pixel = k;
#if SHAPE == FLAT
  pixel /= away;
#endif
  vec4 c = vec4(0.0);
  Meeting m;
  bool hit = trace(r, pixel, m);
  WHEN(hit) {
    c = shaded(m, r.d, pixel);
#if OPENINGS && SOLID
    // Through the openings, the other wall is seen.
    float from, to;
    bool through = c.a < 0.999 && enter(r, 0.0, from, to) && to > m.at;
    WHEN(through) {
      Meeting back = Meeting(r.o + to * r.d, to, vec2(0.0), -1.0, m.lod);
      back.uv = locate(back.p, 1.0).xy;
      c += shaded(back, r.d, pixel) * (1.0 - c.a);
    }
#endif
  }
#if BACKGROUND > 0
  vec3 b = backColor;
#if BACKGROUND == 2
  vec3 d = skyOf * w.d;
  b = textureLod(sky, d, 0.0).rgb;
  if (sunRadius > 0.0 && dot(d, sunInSky) >= cos(sunRadius)) b += sunLight * PI / sunAngle;
  b = show(b * gain);
#elif BACKGROUND == 3
  float q = min(backSize.x / size.x, backSize.y / size.y);
  b = textureLod(backPicture, clamp((at - size / 2.0) * q / backSize + 0.5, 0.0, 1.0), 0.0).rgb;
#endif
  c += vec4(b, 1.0) * (1.0 - c.a);
#endif
#if FAST
  vec3 v = clamp(c.a > 0.0 ? c.rgb / c.a : vec3(0.0), 0.0, 1.0);
  v = mix(1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, v * 12.92, lessThanEqual(v, vec3(0.0031308)));
  result = vec4(v * c.a, c.a);
#else
  result = c * share;
#endif
}
`;

export const encode = /* glsl */ `
precision highp float;
uniform sampler2D mean;
uniform float fill; // what the pictures that are there lack to all of them
out vec4 result;
void main() {
  vec4 c = texelFetch(mean, ivec2(gl_FragCoord.xy), 0) * fill;
  vec3 v = clamp(c.a > 0.0 ? c.rgb / c.a : vec3(0.0), 0.0, 1.0);
  v = mix(1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, v * 12.92, lessThanEqual(v, vec3(0.0031308)));
  result = vec4(v, 1.0) * min(c.a, 1.0);
}
`;
