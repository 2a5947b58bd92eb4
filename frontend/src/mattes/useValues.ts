import { api, unwrap } from '@/api/client'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import type { Place } from '@/viewer/framing'

/** The numbers at a pixel: of a pass as stored, or the light of the plain beauty. */
export function useValues() {
  const shots = useShot()
  const workspace = useWorkspace()

  return async function valuesAt(pass: string | null, place: Place): Promise<number[]> {
    const params = { path: { variant_id: shots.variant!.id } }
    const region = { x: Math.floor(place.x), y: Math.floor(place.y), width: 1, height: 1 }
    const size = { out_width: null, out_height: null }
    const body = {
      region,
      ...size,
      pass_name: pass,
      picture: null,
      variant: null,
      base: null,
      station: 'source',
      frame: workspace.frame,
    }
    const answer = await unwrap<{ channels: (number | null)[][][] }>(
      api.POST('/api/variants/{variant_id}/values', { params, body }),
    )
    return answer.channels.map((rows) => rows[0]![0] ?? Number.NaN)
  }
}
