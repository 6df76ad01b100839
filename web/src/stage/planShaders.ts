import { GROUND_COMMON, REACH } from './shaders'

export const PLAN_VERTEX = /* glsl */ `
varying vec2 vAt;
void main() {
  vAt = position.xz;
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
}
`

/** The ground as a drawn sheet: paper, washes, relief shading, contours, water lines, sward ticks. */
export const PLAN_FRAGMENT = /* glsl */ `
varying vec2 vAt;
uniform sampler2D uHeights;
uniform ivec2 uVertices;
uniform float uCell;
uniform float uPixel;
/** Metres between contours, and between the strong ones among them. */
uniform vec2 uInterval;
uniform vec4 uWater[4];
uniform float uWaterLevel[4];
uniform sampler2D uSward;
uniform float uSwardOn;
${GROUND_COMMON}

float altitude(vec2 at) {
  vec2 p = clamp(at / uCell, vec2(0.0), vec2(uVertices - 1) - 0.001);
  ivec2 i = ivec2(p);
  vec2 f = p - vec2(i);
  float a = texelFetch(uHeights, i, 0).r, b = texelFetch(uHeights, i + ivec2(1, 0), 0).r;
  float c = texelFetch(uHeights, i + ivec2(0, 1), 0).r, d = texelFetch(uHeights, i + ivec2(1, 1), 0).r;
  return mix(mix(a, b, f.x), mix(c, d, f.x), f.y);
}

float contour(float h, float slope, float interval, float width) {
  float d = abs(fract(h / interval + 0.5) - 0.5) * interval;
  return 1.0 - smoothstep(width * 0.5, width * 0.5 + 1.0, d / max(slope * uPixel, 1e-4));
}

void main() {
  if (vAt.x < 0.0 || vAt.y < 0.0 || vAt.x > uExtent.x || vAt.y > uExtent.y) {
    gl_FragColor = vec4(0.925, 0.894, 0.835, 1.0);
    return;
  }
  vec2 uv = vAt / uExtent;
  vec4 relief = texture2D(uRelief, uv);
  vec3 n = vec3(relief.r * 2.0 - 1.0, 0.0, relief.g * 2.0 - 1.0);
  n.y = sqrt(max(1.0 - n.x * n.x - n.z * n.z, 0.03));
  float light = dot(n, normalize(vec3(-0.62, 0.72, -0.62)));
  vec3 wash = pow(surface(uv), vec3(1.0 / 2.2));
  vec3 colour = mix(vec3(0.957, 0.933, 0.878), wash, 0.46) * (0.60 + 0.56 * light) * (0.90 + 0.10 * relief.a);
  colour *= 0.97 + 0.06 * grain(vAt * 1.3);
  colour = suited(washed(colour, uv, vec3(1.0), 1.0), uv);
  float h = altitude(vAt);
  float slope = length(n.xz) / n.y;
  vec3 ink = vec3(0.24, 0.20, 0.16);
  bool wet = false;
  for (int k = 0; k < 4; k++) {
    vec4 w = uWater[k];
    if (h < uWaterLevel[k] && vAt.x > w.x && vAt.y > w.y && vAt.x < w.z && vAt.y < w.w) {
      wet = true;
      float depth = uWaterLevel[k] - h;
      colour = mix(vec3(0.66, 0.74, 0.73), vec3(0.42, 0.55, 0.57), clamp(depth / 9.0, 0.0, 1.0));
      float line = abs(fract(depth / 2.2) - 0.5) * 2.2;
      float ripple = 1.0 - smoothstep(0.35, 0.9, line / max(slope * uPixel, 0.02));
      colour = mix(colour, vec3(0.22, 0.36, 0.40), ripple * 0.35);
    }
  }
  if (!wet) {
    float fine = contour(h, slope, uInterval.x, 0.55);
    float strong = contour(h, slope, uInterval.y, 1.0);
    colour = mix(colour, ink, clamp(max(fine * 0.28, strong * 0.5), 0.0, 1.0));
    if (uSwardOn > 0.5) {
      float step9 = uPixel * 9.0;
      vec2 cell = floor(vAt / step9);
      vec2 hashed = vec2(dot(cell, vec2(41.3, 289.1)), dot(cell, vec2(183.7, 71.9)));
      vec2 jitter = fract(sin(hashed) * 9437.3) - 0.5;
      vec2 q = (fract(vAt / step9) - 0.5 - jitter * 0.62) * 9.0;
      float dense = texture2D(uSward, (cell + 0.5) * step9 / uExtent).r;
      float blade = min(abs(q.x - q.y * -0.35), abs(q.x + q.y * -0.35));
      float tick = (1.0 - smoothstep(0.35, 0.95, blade)) * step(abs(q.y + 0.2), 1.7);
      float grows = step(0.2 + 0.75 * fract(jitter.x * 7.31 + 0.5), dense);
      colour = mix(colour, vec3(0.36, 0.34, 0.15), tick * 0.34 * grows);
    }
  }
  gl_FragColor = vec4(colour, 1.0);
}
`

export const SYMBOL_VERTEX = /* glsl */ `
attribute vec3 aPlant;
uniform float uRadius;
uniform float uPixel;
varying vec2 vQ;
varying float vPx;
varying float vSeed;
void main() {
  float r = max(aPlant.z * uRadius, 1.7 * uPixel);
  vPx = r / uPixel;
  vQ = position.xz * 1.2;
  vSeed = fract(sin(dot(aPlant.xy, vec2(12.9898, 78.233))) * 43758.5453);
  vec2 at = aPlant.xy + position.xz * r * 1.2;
  gl_Position = projectionMatrix * viewMatrix * vec4(at.x, 1.0, at.y, 1.0);
}
`

/** One plant in ink: a scalloped crown with its trunk, or a broken stone with a shaded side. */
export const SYMBOL_FRAGMENT = /* glsl */ `
varying vec2 vQ;
varying float vPx;
varying float vSeed;
uniform vec3 uInk;
uniform vec3 uWash;
uniform float uStone;
uniform float uGhost;
uniform float uShown;
void main() {
  float angle = atan(vQ.y, vQ.x) + vSeed * 6.283;
  float d = length(vQ);
  float soft = 1.1 / vPx;
  float edge;
  float fill = 0.5;
  if (uStone > 0.5) {
    float k = floor(angle * 0.7958 + 0.5) / 0.7958;
    edge = d * cos(angle - k) - 0.78;
    fill = 0.55 + 0.30 * step(vQ.x, vQ.y - 0.1);
  } else {
    edge = d - (0.86 + 0.07 * abs(sin(angle * 4.5)));
    fill = 0.34 + 0.30 * smoothstep(-0.3, 0.7, vQ.y + vQ.x);
  }
  if (edge > soft) discard;
  float line = 1.0 - smoothstep(0.0, soft, abs(edge + soft * 0.5) - soft * 0.2);
  float trunk = uStone > 0.5 ? 0.0 : 1.0 - smoothstep(0.10, 0.10 + soft, d);
  float a = max(max(line * 0.9, trunk), fill);
  vec3 colour = mix(uWash, uInk, clamp(max(line, trunk), 0.0, 1.0));
  gl_FragColor = vec4(colour, a * smoothstep(soft, 0.0, edge) * (1.0 - uGhost) * uShown);
}
`

export const MARK_VERTEX = /* glsl */ `
attribute vec3 aPlant;
uniform float uPixel;
varying vec2 vQ;
void main() {
  float r = max(1.1, 4.4 * uPixel) * aPlant.z;
  vQ = position.xz;
  vec2 at = aPlant.xy + position.xz * r;
  gl_Position = projectionMatrix * viewMatrix * vec4(at.x, 2.0, at.y, 1.0);
}
`

/** A ring for a plant that would come, a cross for one that would go. */
export const MARK_FRAGMENT = /* glsl */ `
varying vec2 vQ;
uniform vec3 uInk;
uniform float uCrossed;
void main() {
  float d = length(vQ);
  float cross = min(abs(vQ.x - vQ.y), abs(vQ.x + vQ.y)) * 0.7071 + max(d - 0.9, 0.0);
  float line = uCrossed > 0.5 ? cross : abs(d - 0.68);
  float a = 1.0 - smoothstep(0.13, 0.27, line);
  if (a < 0.05) discard;
  gl_FragColor = vec4(uInk, a);
}
`

/** Up to four stands as hatched ground: lines along each stratum's way, heavier where crowns cover more. */
export const HATCH_FRAGMENT = /* glsl */ `
varying vec2 vAt;
uniform vec2 uExtent;
uniform vec2 uReach;
uniform float uPixel;
uniform sampler2D uDense;
uniform vec4 uStrength;
uniform vec3 uInks[4];
uniform vec4 uManner[4];

float lines(vec2 at, vec4 manner, float dense, float turned) {
  float a = radians(manner.x + turned);
  vec2 q = vec2(dot(at, vec2(sin(a), cos(a))), dot(at, vec2(cos(a), -sin(a)))) / manner.y;
  float row = floor(q.x);
  float off = abs(fract(q.x) - 0.5) * manner.y;
  float dash = manner.z > 0.0 ? step(fract(q.y * 0.8 + fract(sin(row * 127.1) * 43.7)), manner.z) : 1.0;
  float half_ = mix(0.15, 1.0, dense);
  return dash * (1.0 - smoothstep(half_, half_ + 0.8, off));
}

void main() {
  vec4 dense = texture2D(uDense, vAt / uExtent / uReach);
  vec2 at = vAt / uPixel;
  vec3 colour = vec3(0.0);
  float cover = 0.0;
  for (int k = 0; k < 4; k++) {
    float d = dense[k];
    if (uStrength[k] <= 0.0 || d < 0.06) continue;
    float ink = lines(at, uManner[k], d, 0.0);
    if (uManner[k].w > 0.5) ink = max(ink, lines(at, uManner[k], d, 90.0));
    float a = max(ink * mix(0.2, 0.8, d), 0.12 * d) * smoothstep(0.06, 0.16, d) * uStrength[k];
    colour = mix(colour, uInks[k], a / max(a + cover * (1.0 - a), 0.001));
    cover = a + cover * (1.0 - a);
  }
  if (cover < 0.01) discard;
  gl_FragColor = vec4(colour, cover);
}
`

/** A picture as large as the view, pixel for pixel. */
export const UNDER_VERTEX = /* glsl */ `
void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }
`
export const UNDER_FRAGMENT = /* glsl */ `
uniform sampler2D uUnder;
void main() { gl_FragColor = texelFetch(uUnder, ivec2(gl_FragCoord.xy), 0); }
`

/** The brush's reach: a square of 2 × 2 m round the origin, as large as the brush and its line. */
export const BRUSH_VERTEX = /* glsl */ `
uniform float uPixel;
uniform vec4 uBrush;
varying vec2 vAt;
void main() {
  vAt = uBrush.xy + position.xz * (uBrush.z + 3.0 * uPixel);
  gl_Position = projectionMatrix * viewMatrix * vec4(vAt.x, 2.0, vAt.y, 1.0);
}
`
export const BRUSH_FRAGMENT = /* glsl */ `
varying vec2 vAt;
uniform float uPixel;
${REACH}
void main() { gl_FragColor = vec4(uBrushInk, reachAt(vAt, uPixel)); }
`
