import { SUN } from './bakedGround'
import { FOG } from './fog'

/** GLSL shared by plants and ground: light, fog and shadow of the one sun. */
export const LIGHT = /* glsl */ `
uniform vec3 uSun;
uniform vec3 uSunLight;
uniform vec3 uGlow;
uniform vec3 uEye;
uniform vec3 uSkyColour;
uniform vec3 uFogColour;
${FOG}
uniform sampler2D uShadowMap;
uniform mat4 uShadowMatrix;
uniform float uShadowOn;

float sunlit(vec3 at) {
  if (uShadowOn < 0.5) return 1.0;
  vec3 p = (uShadowMatrix * vec4(at, 1.0)).xyz * 0.5 + 0.5;
  vec2 rim = min(p.xy, 1.0 - p.xy);
  if (min(rim.x, rim.y) < 0.0 || p.z > 1.0) return 1.0;
  float lit = 0.0;
#ifdef LEAN
  const int STEP = 3;
#else
  const int STEP = 1;
#endif
  for (int k = 0; k < 4; k += STEP) {
    vec2 o = vec2(float(k & 1) - 0.5, float(k >> 1) - 0.5) / 1024.0 * 1.8;
    lit += texture2D(uShadowMap, p.xy + o).r + 0.0016 > p.z ? (STEP == 3 ? 0.5 : 0.25) : 0.0;
  }
  return mix(1.0, lit, smoothstep(0.0, 0.06, min(rim.x, rim.y)));
}

/** The haze's colour and how much of it lies between the eye and a place. */
vec4 hazeOf(vec3 at) {
  float f = 1.0 - fogLeft(distance(at, uEye), uEye.y, at.y);
  vec3 way = normalize(at - uEye);
  float glow = pow(max(dot(way, uSun), 0.0), 4.0);
  return vec4(uFogColour + uGlow * glow, f);
}

vec3 haze(vec3 colour, vec3 at) {
  vec4 h = hazeOf(at);
  return mix(colour, h.rgb, h.a);
}

vec3 paper(vec3 c) {
  c = c / (1.0 + 0.18 * c);
  return sqrt(max(c, 0.0));
}
`

/** Terrain vertices: a flat grid tile, lifted by the height raster. */
export const GROUND_VERTEX = /* glsl */ `
attribute vec2 aTile;
uniform sampler2D uHeights;
uniform ivec2 uVertices;
uniform float uCell;
varying vec3 vAt;
varying vec4 vHaze;
${LIGHT}
void main() {
  ivec2 at = clamp(ivec2(aTile + position.xz), ivec2(0), uVertices - 1);
  float h = texelFetch(uHeights, at, 0).r;
  vAt = vec3(float(at.x) * uCell, h + position.y, float(at.y) * uCell);
  vHaze = hazeOf(vAt);
  gl_Position = projectionMatrix * viewMatrix * vec4(vAt, 1.0);
}
`

/** The brush's reach on the ground: its rim, where its soft edge begins, and how strong it is between. */
export const REACH = /* glsl */ `
uniform vec4 uBrush;
uniform vec3 uBrushInk;
float reachAt(vec2 at, float pixel) {
  float d = distance(at, uBrush.xy);
  float hard = uBrush.z * (1.0 - uBrush.w);
  float line = 1.0 - smoothstep(pixel, pixel * 2.2, abs(d - uBrush.z));
  float inner = (1.0 - smoothstep(pixel * 0.6, pixel * 1.6, abs(d - hard))) * 0.55 * step(0.02, uBrush.w);
  float fill = d < uBrush.z ? 0.20 * smoothstep(uBrush.z, max(hard, 0.001), d) : 0.0;
  return clamp(max(max(line, inner), fill), 0.0, 0.95);
}
`

/**
 * What the ground shows in both views: wash of its layers, tried suitability, and the brush's reach; each
 * where it is switched on: see groundMaterials.ts.
 */
export const GROUND_COMMON = /* glsl */ `
uniform sampler2D uNoise;
uniform sampler2D uRelief;
uniform sampler2D uLayersA;
uniform sampler2D uLayersB;
uniform vec3 uColours[8];
uniform vec2 uExtent;
uniform sampler2D uOverlay;
uniform sampler2D uSheet;
uniform vec4 uRockA;
uniform vec4 uRockB;
uniform vec4 uTurfA;
uniform vec4 uTurfB;
${REACH}
uniform highp sampler2DArray uPaint;
uniform float uPainted[8];
/** m within which the ground is drawn in detail. */
uniform float uDetail;

/** What pictures of the layers do to the ground's colour near the eye: each as a multiple of its mean. */
vec3 paintedBy(vec2 at, vec2 uv, float far) {
#ifndef PAINTED
  return vec3(1.0);
#else
  float near = 1.0 - smoothstep(0.25 * uDetail, max(uDetail, 0.1), far);
  if (near <= 0.0) return vec3(1.0);
  vec4 a = texture2D(uLayersA, uv);
  vec4 b = texture2D(uLayersB, uv);
  vec3 sum = vec3(0.0);
  float rest = 1.0;
  vec2 across = vec2(0.788 * at.x - 0.616 * at.y, 0.616 * at.x + 0.788 * at.y) / 13.7;
  for (int k = 0; k < 8; k++) {
    float w = k < 4 ? a[k] : b[k - 4];
    if (w < 0.02 || uPainted[k] < 0.5) continue;
    vec3 close = texture(uPaint, vec3(at / 4.0, float(k))).rgb;
    vec3 wide = texture(uPaint, vec3(across, float(k))).rgb;
    vec3 t = mix(close, wide, 0.25 + 0.5 * smoothstep(6.0, 50.0, far));
    sum += w * pow(t, vec3(2.2)) / max(uColours[k], vec3(0.02));
    rest -= w;
  }
  return mix(vec3(1.0), sum + max(rest, 0.0), near);
#endif
}

float grain(vec2 p) { return texture2D(uNoise, p / 128.0).r; }

/** The same without a repetition that can be seen: two of it, one turned by 38° and of another size. */
vec2 turned(vec2 p) { return vec2(0.788 * p.x - 0.616 * p.y, 0.616 * p.x + 0.788 * p.y); }
float broken(vec2 p) { return 0.5 * (grain(p) + grain(turned(p) * 0.71 + 17.0)); }

vec3 surfaceOf(vec4 a, vec4 b) {
  return uColours[0] * a.r + uColours[1] * a.g + uColours[2] * a.b + uColours[3] * a.a
    + uColours[4] * b.r + uColours[5] * b.g + uColours[6] * b.b + uColours[7] * b.a;
}

vec3 surface(vec2 uv) { return surfaceOf(texture2D(uLayersA, uv), texture2D(uLayersB, uv)); }

vec3 washed(vec3 colour, vec2 uv, vec3 gamma, float strength) {
#ifdef WASHED
  vec4 wash = texture2D(uSheet, uv);
  return mix(colour, pow(wash.rgb, gamma) * strength, wash.a);
#else
  return colour;
#endif
}

vec3 suited(vec3 colour, vec2 uv) {
#ifdef SUITED
  float s = texture2D(uOverlay, uv).r;
  vec3 no = mix(colour, vec3(dot(colour, vec3(0.33))), 0.75) * 0.86;
  return mix(no, mix(colour, vec3(0.16, 0.36, 0.12), 0.62), s);
#else
  return colour;
#endif
}

vec3 reach(vec3 colour, vec2 at, float pixel) {
#ifdef BRUSH
  return mix(colour, uBrushInk, reachAt(at, pixel));
#else
  return colour;
#endif
}
`

export const GROUND_FRAGMENT = /* glsl */ `
varying vec3 vAt;
varying vec4 vHaze;
${LIGHT}
${GROUND_COMMON}
#ifdef LEAN
uniform sampler2D uBaked;
uniform sampler2D uBare;
/**
 * What does not change as the eye moves is baked, for machines that draw by the processor: see
 * bakedGround.ts.
 */
void main() {
  vec2 uv = vAt.xz / uExtent;
  vec4 baked = texture2D(uBaked, uv);
  float far = distance(vAt, uEye);
  vec3 colour = baked.rgb * baked.rgb;
  // What is finer than the baked cells, as far as pixels are finer.
  if (far < 150.0) {
    float close = 1.0 - smoothstep(90.0, 150.0, far);
    float speck = 0.36 * (broken(vAt.xz * 2.7) - 0.5);
    if (far < 40.0) speck += 0.5 * (grain(vAt.xz * 9.0) - 0.5) * (1.0 - smoothstep(8.0, 40.0, far));
    colour *= 1.0 + speck * close;
    float bare = texture2D(uBare, uv).r * close;
    if (bare > 0.02) {
      float bed = grain(vec2(vAt.y * 2.3 + grain(vAt.xz * 0.08) * 5.0, dot(vAt.xz, vec2(0.03, 0.022))));
      float crack = grain(vec2(dot(vAt.xz, vec2(0.55, 0.5)), vAt.y * 0.16));
      colour *= mix(1.0, 0.74 + 0.3 * bed + 0.22 * crack, bare);
    }
  }
  colour *= paintedBy(vAt.xz, uv, far);
  colour = suited(washed(colour, uv, vec3(2.2), 0.22), uv);
  float direct = baked.a * ${SUN.toFixed(1)};
  vec3 light = uSkyColour;
  if (direct > 0.01) light += 1.15 * uSunLight * direct * sunlit(vAt + vec3(0.0, 0.1, 0.0));
  colour = paper(mix(colour * light, vHaze.rgb, vHaze.a));
  gl_FragColor = vec4(reach(colour, vAt.xz, max(0.05, far * 0.0016)), 1.0);
}
#else
void main() {
  vec2 uv = vAt.xz / uExtent;
  vec4 relief = texture2D(uRelief, uv);
  vec3 n = vec3(relief.r * 2.0 - 1.0, 0.0, relief.g * 2.0 - 1.0);
  n.y = sqrt(max(1.0 - n.x * n.x - n.z * n.z, 0.03));
  float steep = 1.0 - n.y;
  float far = distance(vAt, uEye);
  float near = 1.0 - smoothstep(0.125 * uDetail, max(uDetail, 0.1), far);
  float speck = broken(vAt.xz * 2.7) * 0.5 + broken(vAt.xz * 0.31) * 0.5;
  if (near > 0.0) speck += grain(vAt.xz * 9.0) * 0.5 * near;
  vec4 a = texture2D(uLayersA, uv);
  vec4 b = texture2D(uLayersB, uv);
  vec3 colour = surfaceOf(a, b);
  float rock = dot(a, uRockA) + dot(b, uRockB);
  float bare = rock * smoothstep(0.12, 0.4, steep);
  float layered = 1.0;
  if (bare > 0.01) {
    float bed = grain(vec2(vAt.y * 2.3 + grain(vAt.xz * 0.08) * 5.0, dot(vAt.xz, vec2(0.03, 0.022))));
    float crack = grain(vec2(dot(vAt.xz, vec2(0.55, 0.5)), vAt.y * 0.16));
    layered = mix(1.0, 0.66 + 0.42 * bed + 0.22 * crack, bare);
  }
  colour *= layered * (0.84 + 0.62 * (speck - 0.72) * (1.0 - 0.5 * rock));
  float turf = dot(a, uTurfA) + dot(b, uTurfB);
  if (turf > 0.01) {
    float blade = near > 0.0 ? grain(vec2(vAt.x * 14.0, vAt.z * 5.0)) * near : 0.0;
    vec3 green = colour * vec3(0.86, 0.90, 0.70) * (0.82 + 0.4 * blade);
    colour = mix(colour, green, turf * (0.35 + 0.5 * grain(vAt.xz * 0.05)));
  }
  colour *= paintedBy(vAt.xz, uv, far);
  colour = suited(washed(colour, uv, vec3(2.2), 0.42), uv);
  float direct = max(dot(n, uSun), 0.0) * relief.b;
  vec3 light = 1.15 * uSunLight * direct * sunlit(vAt + vec3(0.0, 0.1, 0.0));
  light += uSkyColour * (0.36 + 0.30 * n.y) * (0.45 + 0.55 * relief.a);
  colour = paper(mix(colour * light, vHaze.rgb, vHaze.a));
  gl_FragColor = vec4(reach(colour, vAt.xz, max(0.05, far * 0.0016)), 1.0);
}
#endif
`

export const WATER_FRAGMENT = /* glsl */ `
varying vec3 vAt;
uniform sampler2D uHeights;
uniform vec2 uExtent;
uniform vec3 uHorizon;
uniform vec3 uZenith;
${LIGHT}
float wave(vec2 p) { return sin(p.x * 1.7 + sin(p.y * 1.1)) * 0.5 + sin(p.y * 2.3 + p.x * 0.7) * 0.5; }
void main() {
  vec3 way = normalize(vAt - uEye);
  vec3 n = normalize(vec3(wave(vAt.xz * 0.9) * 0.018, 1.0, wave(vAt.zx * 1.1 + 3.0) * 0.018));
  float rim = 1.0 - max(dot(-way, n), 0.0);
  rim *= rim;
  rim *= rim;
  float deep = smoothstep(0.0, 3.5, vAt.y - texture2D(uHeights, vAt.xz / uExtent).r);
  vec3 body = mix(vec3(0.20, 0.24, 0.19), vec3(0.045, 0.115, 0.12), deep);
  vec3 mirror = reflect(way, n);
  vec3 sky = mix(uHorizon, uZenith, clamp(mirror.y * 1.6, 0.0, 1.0)) * 0.85;
  vec3 colour = mix(body, sky, 0.10 + 0.82 * rim);
  float glint = dot(mirror, uSun);
  if (glint > 0.96) colour += uSunLight * pow(glint, 220.0) * 0.86;
  gl_FragColor = vec4(paper(haze(colour, vAt)), mix(0.78, 0.97, deep));
}
`

export const SKY_VERTEX = /* glsl */ `
varying vec3 vWay;
void main() {
  vWay = position;
  gl_Position = (projectionMatrix * vec4(mat3(viewMatrix) * position, 1.0)).xyww;
}
`

export const WATER_VERTEX = /* glsl */ `
varying vec3 vAt;
void main() {
  vAt = position;
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
}
`

export const SKY_FRAGMENT = /* glsl */ `
varying vec3 vWay;
uniform vec3 uSun;
uniform vec3 uGlow;
uniform vec3 uHorizon;
uniform vec3 uZenith;
uniform float uClouds;
uniform sampler2D uNoise;
float n2(vec2 p) { return texture2D(uNoise, p / 128.0).r; }
void main() {
  vec3 way = normalize(vWay);
  float up = clamp(way.y, 0.0, 1.0);
  float glow = max(dot(way, uSun), 0.0);
  float round = glow * glow;
  round *= round;
  vec3 colour = mix(uHorizon + uGlow * round, uZenith, pow(up, 0.55));
  if (way.y > 0.01) {
    vec2 p = way.xz / (way.y + 0.12) * 1.5;
#ifdef LEAN
    float c = n2(p) * 0.62 + n2(p * 2.6 + 4.0) * 0.38;
#else
    float c = n2(p) * 0.5 + n2(p * 2.1 + 4.0) * 0.27 + n2(p * 4.3 + 9.0) * 0.15 + n2(p * 9.1) * 0.08;
#endif
    float veil = smoothstep(0.98 - uClouds, 1.28 - uClouds, c) * smoothstep(0.01, 0.2, way.y);
    // Clouds are bright where they are thinner toward the sun, and warm near it.
    float shade = clamp(0.55 + 1.6 * (c - n2(p + uSun.xz * 0.5)), 0.0, 1.0);
    vec3 cloud = mix(vec3(0.74, 0.76, 0.78), vec3(1.0, 0.97, 0.90), shade) + vec3(0.10, 0.06, 0.0) * round;
    colour = mix(colour, cloud, veil * 0.78);
  }
  colour += 2.3 * uGlow * round * round;
  if (glow > 0.98) colour += 8.0 * uGlow * pow(glow, 600.0);
  colour = colour / (1.0 + 0.18 * colour);
  gl_FragColor = vec4(sqrt(max(colour, 0.0)), 1.0);
}
`
