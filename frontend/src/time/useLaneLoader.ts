import { onScopeDispose } from 'vue'
import { useSteadily } from '@/composables/useSteadily'
import { useLanes } from '@/stores/lanes'
import { useShot } from '@/stores/shot'

/** Keeps the lanes, and the values of what moves at the frame that is looked at, while a shot is open. */
export function useLaneLoader() {
  const lanes = useLanes()
  const shots = useShot()
  useSteadily(lanes.load, () => lanes.open)
  onScopeDispose(() => (shots.settled = null))
}
