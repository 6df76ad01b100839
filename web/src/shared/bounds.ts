/**
 * What a number may be (above `above`, from `min` to `max`), how it is stepped, and its unit and default; see
 * `api/bounds`, which is generated.
 */
export interface Bounds {
  readonly above?: number
  readonly min?: number
  readonly max?: number
  readonly step?: number
  readonly unit?: string
  readonly default?: number
}
