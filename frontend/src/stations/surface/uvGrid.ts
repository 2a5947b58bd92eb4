import { api, unwrap } from '@/api/client'
import type { Region } from '@/api/types'
import type { Place } from '@/viewer/framing'

type Uv = [u: number, v: number]
type Channels = (number | null)[][][]

/** So many places over the part in view, about as many across as down; the server sends no more at once. */
const COLUMNS = 80
const ROWS = 45
/** Corners of a cell that differ more lie on two things, or across a seam. */
const ONE_SURFACE = 0.1

/** Where a surface is under the pointer: uv at places spread over a part of the picture, sampled by the server once. */
export class UvGrid {
  private constructor(
    private readonly region: Region,
    private readonly channels: Channels,
  ) {}

  static async over(variantId: number, pass: string, frame: number | null, view: Region): Promise<UvGrid> {
    const params = { path: { variant_id: variantId } }
    const size = { out_width: Math.min(COLUMNS, view.width), out_height: Math.min(ROWS, view.height) }
    const body = {
      region: view,
      ...size,
      pass_name: pass,
      picture: null,
      variant: null,
      base: null,
      station: 'source',
      frame,
    }
    const { region, channels } = await unwrap<{ region: Region; channels: Channels }>(
      api.POST('/api/variants/{variant_id}/values', { params, body }),
    )
    return new UvGrid(region, channels)
  }

  /** The uv at a place, between those around it where they are of one surface; null where there is none. */
  at(place: Place): Uv | null {
    const rows = this.channels[0]?.length ?? 0
    const columns = this.channels[0]?.[0]?.length ?? 0
    if (this.channels.length < 2 || !rows || !columns) return null
    const x = ((place.x - this.region.x) / this.region.width) * columns - 0.5
    const y = ((place.y - this.region.y) / this.region.height) * rows - 0.5
    const left = within(Math.floor(x), columns - 2)
    const top = within(Math.floor(y), rows - 2)
    const near = this.corner(within(Math.round(x), columns - 1), within(Math.round(y), rows - 1))
    const corners = [0, 1, 2, 3].map((i) => this.corner(left + (i % 2), top + (i >> 1)))
    if (!near || !corners.every((corner) => corner && apart(corner, near) < ONE_SURFACE)) return near
    const [across, down] = [x - left, y - top]
    const [one, two, three, four] = corners as [Uv, Uv, Uv, Uv]
    return mixed(mixed(one, two, across), mixed(three, four, across), down)
  }

  private corner(column: number, row: number): Uv | null {
    const [u, v] = this.channels.map((channel) => channel[row]?.[column] ?? null)
    return u === null || v === null ? null : [u!, v!]
  }
}

function within(index: number, last: number): number {
  return Math.max(0, Math.min(last, index))
}

function apart(one: Uv, other: Uv): number {
  return Math.max(Math.abs(one[0] - other[0]), Math.abs(one[1] - other[1]))
}

function mixed(one: Uv, other: Uv, share: number): Uv {
  return [one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1])]
}
