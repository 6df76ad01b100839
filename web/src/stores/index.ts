import { useBrush } from './brush'
import { useKeys } from './keys'
import { useLevel } from './level'
import { useSelection } from './selection'
import { usePlots } from './plots'
import { useShapes } from './shapes'
import { useTool } from './tool'
import { useWalks } from './walks'

/** The stores of a level's screen; composables are given those that they need. */
export const useStores = () => ({
  level: useLevel(),
  tool: useTool(),
  brush: useBrush(),
  selection: useSelection(),
  plots: usePlots(),
  shapes: useShapes(),
  walks: useWalks(),
  keys: useKeys(),
})
export type Stores = ReturnType<typeof useStores>
