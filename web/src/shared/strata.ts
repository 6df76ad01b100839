/** The strata from the ground's stones up and down again, in the order in which they claim room. */
export const STRATA = ['Stone', 'Canopy', 'Understorey', 'Shrub', 'Field', 'Moss'] as const
export type Stratum = (typeof STRATA)[number]
