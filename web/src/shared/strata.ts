import { STRATA } from '../api/kinds'

export { STRATA }
export type Stratum = (typeof STRATA)[number]
