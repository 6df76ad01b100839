/** What a number may be: above `above`, from `min`, to `max`; see `api/bounds`, which is generated. */
export interface Bounds {
  readonly above?: number
  readonly min?: number
  readonly max?: number
}
