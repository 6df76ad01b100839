import { useBrush } from '../planting/brush'
import { useKeys } from '../level/keys'
import { useLevel } from '../level/level'
import { useSelection } from '../planting/selection'
import { usePlots } from '../budget/plots'
import { useShapes } from '../ground/shapes'
import { useTouchUp } from '../ground/touchUp'
import { useTool } from '../planting/tool'
import { useWalks } from '../sightline/walks'

/** The stores of a level's screen; composables are given those that they need. */
export const useStores = () => ({
  level: useLevel(),
  tool: useTool(),
  brush: useBrush(),
  selection: useSelection(),
  plots: usePlots(),
  shapes: useShapes(),
  touchUp: useTouchUp(),
  walks: useWalks(),
  keys: useKeys(),
})
export type Stores = ReturnType<typeof useStores>
