import type { Stand } from '../api/client'

/** A row of the column: a stand alone, or a group with the stands that are listed under it. */
export interface StandRow {
  group: string
  stands: Stand[]
}

/**
 * The stands in their order; those of a group stand together, where the first of them is. What has no group
 * is a row by itself.
 */
export function rowsOf(stands: readonly Stand[]): StandRow[] {
  const rows: StandRow[] = []
  const groups = new Map<string, StandRow>()
  for (const stand of stands) {
    const known = stand.group && groups.get(stand.group)
    if (known) {
      known.stands.push(stand)
      continue
    }
    const row = { group: stand.group, stands: [stand] }
    rows.push(row)
    if (stand.group) groups.set(stand.group, row)
  }
  return rows
}
