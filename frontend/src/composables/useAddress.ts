import { watch } from 'vue'
import { useRoute, useRouter, type RouteLocationNormalizedLoaded } from 'vue-router'
import type { StationName } from '@/api/types'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'

/**
 * Keeps the address and the work in step: what is opened is named in the address, and an address that was followed,
 * or gone back to, is opened.
 */
export function useAddress() {
  const route = useRoute()
  const router = useRouter()
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()

  watch(
    () => [shots.shot?.id, shots.variant?.id, workspace.station] as const,
    async ([shot, variant, station]) => {
      if (route.name === 'manual') return
      if (shot === undefined) await router.push({ name: 'start' })
      else if (variant !== undefined && shots.variant?.shot_id === shot) {
        const target = { name: 'shot', params: { shot, variant, station } }
        await (route.name === 'start' ? router.push(target) : router.replace(target))
      }
    },
  )

  /** Open what an address names; a shot that is not there leads to the start. */
  async function follow({ name, params }: RouteLocationNormalizedLoaded) {
    if (name === 'start') {
      if (shots.shot) shots.close()
      return
    }
    if (name !== 'shot') return
    if (params.station) workspace.go(params.station as StationName)
    const [shot, variant] = [Number(params.shot), Number(params.variant)]
    if (shots.shot?.id !== shot) {
      if (shots.shots.some((one) => one.id === shot)) await openShot(shot, variant)
      else await router.replace({ name: 'start' })
    } else if (variant && shots.variant?.id !== variant) await shots.openVariant(variant)
  }

  /** Open a shot; where that fails the start page is shown with the reason. */
  async function openShot(shot: number, variant: number) {
    try {
      await shots.openShot(shot, variant)
    } catch (error) {
      shots.close()
      await router.replace({ name: 'start' })
      throw error
    }
  }

  watch(
    () => route.fullPath,
    () => shots.loaded && void follow(route).catch(notifications.show),
  )

  /** Open what the first address names, once the shots are known. */
  const start = () => router.isReady().then(() => follow(route))
  return { start }
}
