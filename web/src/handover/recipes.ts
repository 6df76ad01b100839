import type { Recipe } from '../api/client'

export type Format = Recipe['formats'][number]

export const FORMATS: readonly { value: Format; title: string; says: string }[] = [
  { value: 'csv', title: 'Plants as CSV', says: 'plain text, a line for each plant, sorted by id' },
  { value: 'parquet', title: 'Plants as Parquet', says: 'the same columns, packed, with their types' },
  { value: 'glb', title: 'Scene as glTF', says: 'the meshes once, plants as GPU instances' },
  { value: 'maps', title: 'Density maps', says: 'of every stand on the terrain, swards too; 16-bit PNG' },
  { value: 'ground', title: 'Ground', says: 'heights, layers, masks, relief; PNG, GeoTIFF, raw' },
  { value: 'geojson', title: 'Shapes as GeoJSON', says: 'paths, areas, obstacles' },
  { value: 'level', title: 'The whole level', says: 'to be opened again, here or in another installation' },
]
export const AXES: readonly { value: Recipe['axes']; title: string }[] = [
  { value: 'y-up-right', title: 'y up, right-handed' },
  { value: 'z-up-right', title: 'z up, right-handed' },
  { value: 'y-up-left', title: 'y up, left-handed' },
  { value: 'z-up-left', title: 'z up, left-handed' },
]
export const UNITS: readonly { value: Recipe['unit']; title: string }[] = [
  { value: 'm', title: 'metres' },
  { value: 'cm', title: 'centimetres' },
]
export const ORIGINS: readonly { value: Recipe['origin']; title: string }[] = [
  { value: 'corner', title: 'the north-west corner' },
  { value: 'centre', title: 'the middle' },
]

export const newRecipe = (): Recipe => ({
  formats: ['csv'],
  axes: 'y-up-right',
  unit: 'm',
  origin: 'corner',
  cell: 0,
  stands: [],
})

/** Whether plants go out as tables, which is what axes, unit, origin and cells are for. */
export const hasTables = (recipe: Recipe): boolean =>
  recipe.formats.some((format) => format === 'csv' || format === 'parquet')

/** Whether what differs between two handovers can be seen from their files. */
export const alike = (a: Recipe, b: Recipe): boolean =>
  a.axes === b.axes && a.unit === b.unit && a.origin === b.origin && a.cell === b.cell

/** Whether the plants of two handovers can be compared: they have a table of plants in common. */
export const comparable = (a: Recipe, b: Recipe): boolean =>
  alike(a, b) &&
  (['csv', 'parquet'] as const).some((table) => a.formats.includes(table) && b.formats.includes(table))

/** How much that is, with a unit that suits. */
export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`
  const [by, unit] = bytes < 1e6 ? [1e3, 'KB'] : bytes < 1e9 ? [1e6, 'MB'] : [1e9, 'GB']
  const n = bytes / by
  return `${n.toFixed(n < 10 ? 1 : 0)} ${unit}`
}
