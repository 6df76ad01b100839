import * as THREE from 'three'
import type { Atmosphere, Fog } from '../api/client'

/** How much of a thing is left in fog at a distance: the twin of `thicket/sight/fog.py`. */
export const FOG_KINDS = ['none', 'linear', 'exponential', 'squared'] as const

/** Fog so many times as thick. */
export function thicker(fog: Fog, factor: number): Fog {
  if (factor === 1) return fog
  if (factor <= 0) return { ...fog, kind: 'none' }
  return { ...fog, density: fog.density * factor, start: fog.start / factor, end: fog.end / factor }
}

/** The fog's mean density along a straight line between two altitudes, as a share of its full one. */
export function meanDensity(fog: Fog, low: number, high: number): number {
  if (fog.thinning <= 0) return 1
  const below = (y: number) =>
    y < fog.level ? y - fog.level : -fog.thinning * Math.expm1(-(y - fog.level) / fog.thinning)
  if (Math.abs(high - low) < 1e-3) return Math.exp(-Math.max((low + high) / 2 - fog.level, 0) / fog.thinning)
  return Math.min(Math.max((below(high) - below(low)) / (high - low), 0), 1)
}

/** 1 for all, 0 for nothing, of a thing so many m away; altitudes of eye and thing in m. */
export function left(fog: Fog, distance: number, eye: number, place: number): number {
  const dense = meanDensity(fog, eye, place)
  if (fog.kind === 'none') return 1
  if (fog.kind === 'linear')
    return 1 - dense * Math.min(Math.max((distance - fog.start) / (fog.end - fog.start), 0), 1)
  const depth = fog.density * distance * dense
  return Math.exp(fog.kind === 'exponential' ? -depth : -depth * depth)
}

/** What is left of a thing where it counts as hidden; m that plants may stand above the highest ground. */
const HIDDEN = 0.02
const TALL = 40

/**
 * The distance beyond which the fog hides everything that stands on ground no higher than `top`, from an eye
 * at an altitude, all in m; Infinity where it never does.
 */
export function clearDistance(fog: Fog, eye: number, top: number): number {
  const dense = meanDensity(fog, eye, top + TALL)
  if (fog.kind === 'none') return Infinity
  if (fog.kind === 'linear') {
    const share = (1 - HIDDEN) / dense
    return share <= 1 ? fog.start + share * (fog.end - fog.start) : Infinity
  }
  const depth = Math.log(1 / HIDDEN) ** (fog.kind === 'squared' ? 0.5 : 1)
  return fog.density > 0 && dense > 0 ? depth / (fog.density * dense) : Infinity
}

/** The same for shaders. */
export const FOG = /* glsl */ `
/** Kind, density in 1/m, start and end in m. */
uniform vec4 uFog;
/** The altitude up to which it is as dense as it gets, and the m over which it thins above. */
uniform vec2 uFogHeight;
float fogBelow(float y) {
  float up = y - uFogHeight.x;
  return up < 0.0 ? up : uFogHeight.y * (1.0 - exp(-up / uFogHeight.y));
}
float fogLeft(float d, float eye, float at) {
  float dense = 1.0;
  if (uFogHeight.y > 0.0)
    dense = abs(at - eye) < 0.05
      ? exp(-max(0.5 * (at + eye) - uFogHeight.x, 0.0) / uFogHeight.y)
      : (fogBelow(at) - fogBelow(eye)) / (at - eye);
  if (uFog.x < 0.5) return 1.0;
  if (uFog.x < 1.5) return 1.0 - dense * clamp((d - uFog.z) / (uFog.w - uFog.z), 0.0, 1.0);
  float depth = uFog.y * d * dense;
  return exp(uFog.x < 2.5 ? -depth : -depth * depth);
}
`

/** The light of which the shaders' last step makes a colour of the screen. */
export function lightOf(hex: string): THREE.Vector3 {
  const shown = [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255)
  return new THREE.Vector3(...shown.map((v) => (v * v) / (1 - 0.18 * v * v)))
}

/** The direction toward the sun. */
export function sunOf({ sun }: Atmosphere): THREE.Vector3 {
  const b = (sun.bearing * Math.PI) / 180
  const e = (sun.elevation * Math.PI) / 180
  return new THREE.Vector3(Math.sin(b) * Math.cos(e), Math.sin(e), -Math.cos(b) * Math.cos(e))
}

const SUNLIGHT = 1.62
const GLOW = [0.1, 0.07, 0.02] as const

/** The values of the uniforms that an atmosphere sets. */
export function airOf(atmosphere: Atmosphere) {
  const { sun, sky, fog } = atmosphere
  const colour = new THREE.Color(sun.colour)
  const horizon = lightOf(sky.horizon)
  const zenith = lightOf(sky.zenith)
  return {
    uSun: sunOf(atmosphere),
    uSunLight: new THREE.Vector3(colour.r, colour.g, colour.b).multiplyScalar(SUNLIGHT * sun.strength),
    uGlow: new THREE.Vector3(...GLOW).multiplyScalar(sun.strength),
    uHorizon: horizon,
    uZenith: zenith,
    uClouds: sky.clouds,
    uSkyColour: horizon.clone().add(zenith).multiplyScalar(0.55),
    uFogColour: fog.colour ? lightOf(fog.colour) : horizon,
    uFog: new THREE.Vector4(FOG_KINDS.indexOf(fog.kind), fog.density, fog.start, fog.end),
    uFogHeight: new THREE.Vector2(fog.level, fog.thinning),
  }
}
