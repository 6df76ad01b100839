import type { Wind } from '../api/client'

/** At full strength, the tip of a limp plant sways by this share of its height to either side. */
export const BEND = 0.16

/** Whole gusts that pass a place in one loop: as many as the speed asks for, and at least one. */
export const gustsOf = (wind: Wind): number =>
  Math.max(1, Math.round((wind.speed * wind.loop) / wind.wavelength))

/** The way the wind blows, x and z of length 1. */
export function wayOf(wind: Wind): [number, number] {
  const a = ((wind.bearing + 180) * Math.PI) / 180
  return [Math.sin(a), -Math.cos(a)]
}
