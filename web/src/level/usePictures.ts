import { onScopeDispose, ref, shallowRef } from 'vue'
import type { View } from '../api/client'
import type { Stage } from '../stage/stage'

/** How long the plants of a place are waited for, in ms. */
const PATIENCE = 20_000

export type Place = Pick<View, 'x' | 'y' | 'z' | 'heading' | 'pitch' | 'fov'>

/** Small pictures of places, taken by the stage one after another; then it looks again from where it did. */
export function usePictures() {
  const pictures = shallowRef<Record<string, string>>({})
  /** How many are still to be taken. */
  const left = ref(0)

  /** Take pictures of places by name. Whether all were taken, and none was stopped. */
  async function take(stage: Stage, places: Record<string, Place>): Promise<boolean> {
    const { x, y, z, heading, pitch, fov } = stage.eye.view
    const names = Object.keys(places)
    left.value = names.length
    for (const name of names) {
      stage.look(places[name]!)
      await stage.arrived(PATIENCE)
      if (!left.value) break
      pictures.value = { ...pictures.value, [name]: stage.picture(200) }
      left.value--
    }
    stage.look({ x, y, z, heading, pitch, fov })
    return names.every((name) => name in pictures.value)
  }
  const stop = () => (left.value = 0)
  function forget(): void {
    stop()
    pictures.value = {}
  }
  onScopeDispose(stop)
  return { pictures, left, take, stop, forget }
}
