import type { Region } from '@/api/types'
import type { Wipe } from '@/stores/holds'

export interface Place {
  x: number
  y: number
}

export interface Size {
  width: number
  height: number
}

/** How pictures are laid out, by their keys: the first is the present one. */
export type Arrangement =
  | { kind: 'one'; keys: [string] }
  | { kind: 'wipe'; keys: [string, string]; wipe: Wipe }
  | { kind: 'split' | 'side'; keys: string[] }

export interface Pane extends Place, Size {
  key: string
}

/**
 * Where the picture lies on its canvas. Places are columns and rows of the full picture; `scale` is screen pixels (CSS)
 * for each of them. Side by side, all panes show the same part at the same scale.
 */
export interface Framing {
  /** Of the canvas on the page, in CSS pixels, and how many device pixels make one. */
  canvas: Size
  ratio: number
  picture: Size
  centre: Place
  scale: number
  /** Whether the picture is kept whole in view. */
  fitted: boolean
  arrangement: Arrangement
  /** The colour around the picture. */
  surround: string
}

export const NOW = 'now'
const MARGIN = 8

/** The panes of the canvas: one, or a grid in which the picture is as large as it can be. */
export function panesOf({ arrangement, canvas, picture }: Framing): Pane[] {
  const { kind, keys } = arrangement
  if (kind !== 'side') return [{ key: NOW, x: 0, y: 0, ...canvas }]
  const size = (columns: number) => {
    const rows = Math.ceil(keys.length / columns)
    return Math.min(canvas.width / columns / picture.width, canvas.height / rows / picture.height)
  }
  const choices = keys.map((_, index) => index + 1)
  const columns = choices.reduce((best, next) => (size(next) > size(best) ? next : best), 1)
  const width = canvas.width / columns
  const height = canvas.height / Math.ceil(keys.length / columns)
  return keys.map((key, i) => ({
    key,
    x: (i % columns) * width,
    y: Math.floor(i / columns) * height,
    width,
    height,
  }))
}

/** The scale at which the whole picture is seen. */
export function fitScale(framing: Framing): number {
  const pane = panesOf(framing)[0]!
  const across = (pane.width - 2 * MARGIN) / framing.picture.width
  return Math.max(0.01, Math.min(across, (pane.height - 2 * MARGIN) / framing.picture.height))
}

export function toPicture(framing: Framing, place: Place): Place {
  const panes = panesOf(framing)
  const inside = (pane: Pane) =>
    place.x >= pane.x && place.x < pane.x + pane.width && place.y >= pane.y && place.y < pane.y + pane.height
  const pane = panes.find(inside) ?? panes[0]!
  return {
    x: (place.x - pane.x - pane.width / 2) / framing.scale + framing.centre.x,
    y: (place.y - pane.y - pane.height / 2) / framing.scale + framing.centre.y,
  }
}

/** Where a place of the picture lies in a pane, the first by default. */
export function toCanvas(framing: Framing, place: Place, pane: Pane = panesOf(framing)[0]!): Place {
  return {
    x: (place.x - framing.centre.x) * framing.scale + pane.x + pane.width / 2,
    y: (place.y - framing.centre.y) * framing.scale + pane.y + pane.height / 2,
  }
}

/** The part of the picture in view, in whole pixels. */
export function regionOf(framing: Framing): Region {
  const { picture, scale } = framing
  const pane = panesOf(framing)[0]!
  const first = toPicture(framing, { x: pane.x, y: pane.y })
  const x = Math.max(0, Math.floor(first.x))
  const y = Math.max(0, Math.floor(first.y))
  const right = Math.min(picture.width, Math.ceil(first.x + pane.width / scale))
  const bottom = Math.min(picture.height, Math.ceil(first.y + pane.height / scale))
  return { x, y, width: Math.max(1, right - x), height: Math.max(1, bottom - y) }
}

/** Pixels to request, so that one is one on the screen, or a share of them; never more than the picture has. */
export function outSizeOf({ scale, ratio }: Framing, region: Region, share = 1): Size {
  const factor = Math.min(1, scale * ratio) * share
  return {
    width: Math.max(1, Math.round(region.width * factor)),
    height: Math.max(1, Math.round(region.height * factor)),
  }
}

/** More pixels than requested cost less than filtering, up to so many times. */
const PLAYED = 1.8

/** As `outSizeOf`; that of the next finer pyramid level where it is little larger: nothing is filtered anew. */
export function playedSizeOf(framing: Framing, region: Region): Size {
  const wanted = outSizeOf(framing, region)
  const step = 2 ** Math.floor(Math.log2(region.width / wanted.width) + 1e-6)
  const level = { width: Math.ceil(region.width / step), height: Math.ceil(region.height / step) }
  return level.width * level.height <= PLAYED * wanted.width * wanted.height ? level : wanted
}

/** Where the middle of the wipe's line lies on the canvas. */
export function wipePlace(framing: Framing, wipe: Wipe): Place {
  return toCanvas(framing, { x: framing.picture.width * wipe.x, y: framing.picture.height * wipe.y })
}

/** The directions along the line of a wipe, and across it towards the present picture. */
export function wipeAxes(wipe: Wipe): { along: Place; across: Place } {
  const turn = (wipe.angle * Math.PI) / 180
  return {
    along: { x: -Math.sin(turn), y: Math.cos(turn) },
    across: { x: Math.cos(turn), y: Math.sin(turn) },
  }
}
