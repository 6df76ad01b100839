import { LIGHT } from './shaders'

/**
 * Plant vertices: an instance's form turns, scales and sets the mesh; both passes use it. Light, shadow and
 * haze are
 * computed here, at the corners: leaves and blades are many, and most of their pixels are hidden by others.
 */
export const PLANT_VERTEX = /* glsl */ `
attribute vec3 aPlace;
attribute vec4 aTurn;
attribute vec3 aSize;
#ifdef COLOURED
attribute vec4 color;
#endif
uniform vec3 uViewer;
varying vec2 vUv;
#ifndef SHADOW
uniform vec3 uTintA;
uniform vec3 uTintB;
uniform float uTinted;
varying vec3 vLight;
varying vec4 vHaze;
varying vec2 vKept;
uniform vec4 uFade;
#ifdef NORMALS
/**
 * A billboard's own frame in the level, and what the fragment needs of the light: share of sun that is let
 * through, of sky.
 */
varying vec3 vAcross;
varying vec3 vToward;
varying vec2 vShare;
#endif
${LIGHT}
#endif

#ifdef SWAYS
uniform vec4 uWind;
uniform vec4 uGusts;
uniform float uLimp;
// By the rule of thicket.sight.wind: uWind is the way it blows (x, z), bend and wavelength; uGusts whole
// gusts in a loop, share of
// the loop gone by, turbulent share.
/** The colour that a gust turns leaves to, and how much of it. */
uniform vec4 uWindTint;
float gustAt(vec3 foot) {
  return sin(6.2831853 * (uGusts.x * uGusts.y - dot(foot.xz, uWind.xy) / uWind.w));
}
vec2 swayed(vec3 foot, float high) {
  float own = fract(sin(dot(foot.xz, vec2(12.9898, 78.233))) * 43758.5453);
  float gust = gustAt(foot);
  float flutter = 0.6 * sin(6.2831853 * ((2.0 * uGusts.x + 1.0) * uGusts.y + own))
    + 0.4 * sin(6.2831853 * ((3.0 * uGusts.x + 2.0) * uGusts.y + 1.7 * own));
  float share = high / TALL;
  return uWind.xy * (uWind.z * uLimp * share * share * TALL * (0.5 + mix(gust, flutter, uGusts.z)));
}
#endif

#ifdef UNSHADED
#define SUNLIT(at) 1.0
#else
#define SUNLIT(at) sunlit(at)
#endif

#ifdef BY_SIZE
#define AWAY (distance(uViewer, aPlace) / aSize.y)
#else
#define AWAY distance(uViewer, aPlace)
#endif

vec3 turn(vec4 q, vec3 v) { return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v); }

void main() {
  vec3 scaled = position * vec3(aSize.x, aSize.y, aSize.x);
#if defined(SWARD) && !defined(SHADOW)
  // A sward sinks into the ground over the last third of its distance, so that it has no end to be seen.
  scaled.y *= 0.12 + 0.88 * smoothstep(0.0, 0.36 * uFade.w, uFade.w - AWAY);
#endif
#ifdef FACING
  vec3 to = uViewer - aPlace;
  vec3 side = normalize(vec3(to.z, 0.0, -to.x));
  vec3 at = aPlace + side * scaled.x + vec3(0.0, scaled.y, 0.0);
  vec3 toEye = normalize(vec3(to.x, 0.0, to.z)) * 0.5;
  vec3 n = normalize(side * (position.x * 0.22) + toEye + vec3(0.0, 0.35 + position.y * 0.03, 0.0));
#else
  vec3 at = aPlace + turn(aTurn, scaled);
  vec3 n = turn(aTurn, normal);
#endif
#ifdef SWAYS
  at.xz += swayed(aPlace, max(position.y, 0.0)) * aSize.y;
#endif
  vUv = uv;
  gl_Position = projectionMatrix * viewMatrix * vec4(at, 1.0);
#ifndef SHADOW
  float away = AWAY;
  vKept.x = uFade.x < 0.0 ? 1.0 : clamp((away - uFade.x) / max(uFade.y - uFade.x, 0.001), 0.0, 1.0);
  vKept.y = clamp((uFade.w - away) / max(uFade.w - uFade.z, 0.001), 0.0, 1.0);
  vec3 way = normalize(at - uEye);
  float facing = dot(n, uSun);
#ifdef CUT
  float direct = clamp(facing * 0.36 + 0.5, 0.0, 1.0) + pow(max(dot(way, uSun), 0.0), 3.0) * 0.5;
  float lit = mix(0.42, 1.0, SUNLIT(at + n * 0.5));
#else
  float direct = max(facing, 0.0);
  float lit = SUNLIT(at + n * 0.15);
#endif
  float ground = clamp(0.55 + position.y * FOOT, 0.0, 1.0);
  vec3 tint = mix(vec3(1.0), mix(uTintA, uTintB, aSize.z) * 1.45, uTinted);
#if defined(SWAYS) && !defined(SHADOW)
  float turned = uWindTint.a * uTinted * uLimp * smoothstep(0.0, 1.0, gustAt(aPlace));
  tint = mix(tint, uWindTint.rgb * 1.45, turned);
#endif
#ifdef NORMALS
  vLight = tint;
  vShare = vec2(lit, ground);
#ifdef FACING
  vAcross = side;
  vToward = normalize(vec3(to.x, 0.0, to.z));
#else
  vAcross = turn(aTurn, normalize(vec3(normal.z, 0.0, -normal.x)));
  vToward = turn(aTurn, normalize(vec3(normal.x, 0.0, normal.z)));
#endif
#else
  vLight = tint * (uSunLight * direct * lit + uSkyColour * (0.52 + 0.26 * n.y) * ground);
#endif
#ifdef COLOURED
  vLight *= color.rgb;
#endif
  vHaze = hazeOf(at);
#endif
}
`

/** Which pixels a fading state keeps: two states that fade into each other keep opposite ones. */
const FADE = /* glsl */ `
varying vec2 vKept;
bool faded() {
  if (min(vKept.x, vKept.y) >= 1.0) return false;
  float grain = fract(52.9829189 * fract(dot(floor(gl_FragCoord.xy), vec2(0.06711056, 0.00583715))));
  return grain < 1.0 - vKept.x || grain >= vKept.y;
}
`

export const PLANT_FRAGMENT = /* glsl */ `
uniform sampler2D uTexture;
/** The cut-out's threshold and softness. */
uniform vec2 uCut;
uniform float uGhost;
varying vec2 vUv;
varying vec3 vLight;
varying vec4 vHaze;
#ifdef NORMALS
uniform sampler2D uNormals;
uniform vec3 uSun;
uniform vec3 uSunLight;
uniform vec3 uSkyColour;
varying vec3 vAcross;
varying vec3 vToward;
varying vec2 vShare;
#endif
${FADE}
void main() {
  vec4 texel = texture2D(uTexture, vUv);
  float cover = 1.0;
#ifdef CUT
#ifdef LEAN
  // A soft edge is one of single pixels here.
  float grain = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  if (texel.a < uCut.x + uCut.y * (grain - 0.5)) discard;
#else
  // As sharp an edge as a pixel allows, or a softer one; the samples of the pixel take up its share (alpha to
  // coverage).
  cover = clamp((texel.a - uCut.x) / max(max(fwidth(texel.a), uCut.y), 0.001) + 0.5, 0.0, 1.0);
  if (cover <= 0.0) discard;
#endif
#endif
  if (faded()) discard;
  vec3 light = vLight;
#ifdef NORMALS
  vec3 t = texture2D(uNormals, vUv).xyz * 2.0 - 1.0;
  vec3 n = normalize(vAcross * t.x + vec3(0.0, t.y, 0.0) + vToward * t.z);
  vec3 direct = uSunLight * clamp(dot(n, uSun) * 0.36 + 0.5, 0.0, 1.0);
  light *= direct * vShare.x + uSkyColour * (0.52 + 0.26 * n.y) * vShare.y;
#endif
  vec3 colour = mix(texel.rgb * texel.rgb * light, vHaze.rgb, vHaze.a);
  colour = colour / (1.0 + 0.18 * colour);
  colour = sqrt(colour);
  vec3 faint = vec3(0.80, 0.78, 0.72) + 0.16 * (dot(colour, vec3(0.33)) - 0.4);
  gl_FragColor = vec4(mix(colour, faint, uGhost * 0.86), cover);
}
`

export const SHADOW_FRAGMENT = /* glsl */ `
uniform sampler2D uTexture;
uniform vec2 uCut;
varying vec2 vUv;
void main() {
#ifdef CUT
  if (texture2D(uTexture, vUv).a < uCut.x) discard;
#endif
  gl_FragColor = vec4(1.0);
}
`
