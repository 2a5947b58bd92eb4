import type { Region } from '@/api/types'

export interface Place {
  x: number
  y: number
}

/** A line through the picture: where it passes, as shares of width and height, and how it leans, in degrees. */
export interface Wipe extends Place {
  angle: number
}

/** How pictures are laid out, by their keys: the first is the present one. */
export type Arrangement =
  | { kind: 'one'; keys: [string] }
  | { kind: 'wipe'; keys: [string, string]; wipe: Wipe }
  | { kind: 'split' | 'side'; keys: string[] }

interface Layer {
  bitmap: ImageBitmap
  region: Region
}

export interface Pane {
  key: string
  x: number
  y: number
  width: number
  height: number
}

export const NOW = 'now'
const MARGIN = 8
const LINE = '#f3e6c2'

/**
 * Draws pictures with zoom and pan on a canvas of its own, at most once a screen refresh.
 * Places are columns and rows of the full picture; `scale` is screen pixels (CSS) for each of them. Side by side, all
 * panes show the same part at the same scale.
 */
export class FrameCanvas {
  scale = 1
  fitted = true
  /** Size of the canvas on the page; measured when it changes, for asking makes the page lay itself out. */
  width = 1
  height = 1
  /** Drawn over the present picture, in CSS pixels. */
  overlay: ((context: CanvasRenderingContext2D) => void) | null = null
  private centre: Place
  private readonly layers = new Map<string, Layer>()
  private arrangement: Arrangement = { kind: 'one', keys: [NOW] }
  private waiting = 0
  private surround = '#3d3d3d'
  private readonly observer: ResizeObserver

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private picture: { width: number; height: number },
    private readonly moved: () => void,
  ) {
    this.centre = { x: picture.width / 2, y: picture.height / 2 }
    this.observer = new ResizeObserver(() => this.resize())
    this.observer.observe(canvas)
    this.resize()
    this.dress()
  }

  /** Take the colour of the surround from the style sheet. */
  dress(): void {
    this.surround = getComputedStyle(this.canvas).backgroundColor
    this.draw()
  }

  destroy(): void {
    this.observer.disconnect()
    cancelAnimationFrame(this.waiting)
  }

  setPicture(picture: { width: number; height: number }): void {
    this.picture = picture
    this.layers.clear()
    this.fit()
  }

  /** Show a bitmap of a region under a key; the last good picture stays until then. */
  show(key: string, bitmap: ImageBitmap, region: Region): void {
    this.layers.get(key)?.bitmap.close()
    this.layers.set(key, { bitmap, region })
    this.draw()
  }

  /** Lay the pictures out. Those of `kept` stay at hand, so that turning to them is at once; others are let go. */
  arrange(arrangement: Arrangement, kept: string[]): void {
    const panes = this.panes().length
    this.arrangement = arrangement
    const keys = new Set<string>([NOW, ...kept])
    for (const [key, layer] of this.layers) {
      if (keys.has(key)) continue
      layer.bitmap.close()
      this.layers.delete(key)
    }
    if (this.panes().length !== panes) this.resize()
    else this.draw()
  }

  fit(): void {
    this.fitted = true
    this.centre = { x: this.picture.width / 2, y: this.picture.height / 2 }
    this.resize()
  }

  /** Zoom to a scale, keeping the picture where it is under a place of the canvas. */
  zoom(scale: number, under?: Place): void {
    const pane = this.panes()[0]!
    const at = under ?? { x: pane.x + pane.width / 2, y: pane.y + pane.height / 2 }
    const before = this.toPicture(at)
    this.fitted = false
    this.scale = Math.min(96, Math.max(this.fitScale() / 4, scale))
    const after = this.toPicture(at)
    this.centre = { x: this.centre.x + before.x - after.x, y: this.centre.y + before.y - after.y }
    this.keepInside()
    this.changed()
  }

  pan(dx: number, dy: number): void {
    this.fitted = false
    this.centre = { x: this.centre.x - dx / this.scale, y: this.centre.y - dy / this.scale }
    this.keepInside()
    this.changed()
  }

  /** The panes of the canvas: one, or a grid in which the picture is as large as it can be. */
  panes(): Pane[] {
    const { kind, keys } = this.arrangement
    if (kind !== 'side') return [{ key: NOW, x: 0, y: 0, width: this.width, height: this.height }]
    const size = (columns: number) => {
      const rows = Math.ceil(keys.length / columns)
      return Math.min(this.width / columns / this.picture.width, this.height / rows / this.picture.height)
    }
    const choices = keys.map((_, index) => index + 1)
    const columns = choices.reduce((best, next) => (size(next) > size(best) ? next : best), 1)
    const rows = Math.ceil(keys.length / columns)
    const width = this.width / columns
    const height = this.height / rows
    return keys.map((key, i) => ({
      key,
      x: (i % columns) * width,
      y: Math.floor(i / columns) * height,
      width,
      height,
    }))
  }

  toPicture(place: Place): Place {
    const pane = this.paneAt(place)
    return {
      x: (place.x - pane.x - pane.width / 2) / this.scale + this.centre.x,
      y: (place.y - pane.y - pane.height / 2) / this.scale + this.centre.y,
    }
  }

  /** Where a place of the picture lies in a pane, the first by default. */
  toCanvas(place: Place, pane: Pane = this.panes()[0]!): Place {
    return {
      x: (place.x - this.centre.x) * this.scale + pane.x + pane.width / 2,
      y: (place.y - this.centre.y) * this.scale + pane.y + pane.height / 2,
    }
  }

  /** The part of the picture in view, in whole pixels. */
  region(): Region {
    const pane = this.panes()[0]!
    const first = this.toPicture({ x: pane.x, y: pane.y })
    const x = Math.max(0, Math.floor(first.x))
    const y = Math.max(0, Math.floor(first.y))
    const right = Math.min(this.picture.width, Math.ceil(first.x + pane.width / this.scale))
    const bottom = Math.min(this.picture.height, Math.ceil(first.y + pane.height / this.scale))
    return { x, y, width: Math.max(1, right - x), height: Math.max(1, bottom - y) }
  }

  /** Pixels to ask for, so that one is one on the screen, or a share of them; never more than the picture has. */
  outSize(region: Region, share = 1): { width: number; height: number } {
    const factor = Math.min(1, this.scale * window.devicePixelRatio) * share
    return {
      width: Math.max(1, Math.round(region.width * factor)),
      height: Math.max(1, Math.round(region.height * factor)),
    }
  }

  /** Draw again at the next screen refresh. */
  draw(): void {
    cancelAnimationFrame(this.waiting)
    this.waiting = requestAnimationFrame(() => this.paint())
  }

  private paneAt(place: Place): Pane {
    const panes = this.panes()
    const inside = (pane: Pane) =>
      place.x >= pane.x &&
      place.x < pane.x + pane.width &&
      place.y >= pane.y &&
      place.y < pane.y + pane.height
    return panes.find(inside) ?? panes[0]!
  }

  private fitScale(): number {
    const pane = this.panes()[0]!
    const across = (pane.width - 2 * MARGIN) / this.picture.width
    return Math.max(0.01, Math.min(across, (pane.height - 2 * MARGIN) / this.picture.height))
  }

  private resize(): void {
    const ratio = window.devicePixelRatio
    this.width = this.canvas.clientWidth
    this.height = this.canvas.clientHeight
    this.canvas.width = Math.round(this.width * ratio)
    this.canvas.height = Math.round(this.height * ratio)
    if (this.fitted) this.scale = this.fitScale()
    this.changed()
  }

  private keepInside(): void {
    this.centre.x = Math.min(this.picture.width, Math.max(0, this.centre.x))
    this.centre.y = Math.min(this.picture.height, Math.max(0, this.centre.y))
  }

  private changed(): void {
    this.draw()
    this.moved()
  }

  private paint(): void {
    const context = this.canvas.getContext('2d', { alpha: false })
    if (!context) return
    const ratio = window.devicePixelRatio
    context.setTransform(ratio, 0, 0, ratio, 0, 0)
    context.fillStyle = this.surround
    context.fillRect(0, 0, this.width, this.height)
    this.paintArrangement(context)
    this.overlay?.(context)
  }

  private paintArrangement(context: CanvasRenderingContext2D): void {
    const { kind, keys } = this.arrangement
    if (kind === 'side') {
      for (const pane of this.panes()) this.paintIn(context, pane.key, boxOf(pane), pane)
    } else if (kind === 'split') {
      const strip = this.width / keys.length
      keys.forEach((key, i) =>
        this.paintIn(context, key, boxOf({ x: i * strip, y: 0, width: strip, height: this.height })),
      )
      context.fillStyle = LINE
      keys.slice(1).forEach((_, i) => context.fillRect((i + 1) * strip - 0.5, 0, 1, this.height))
    } else if (kind === 'wipe') {
      this.paintLayer(context, NOW)
      this.paintWipe(context, keys[1]!, this.arrangement.wipe)
    } else {
      this.paintLayer(context, keys[0]!)
    }
  }

  private paintIn(context: CanvasRenderingContext2D, key: string, outline: Place[], pane?: Pane): void {
    context.save()
    context.beginPath()
    for (const corner of outline) context.lineTo(corner.x, corner.y)
    context.closePath()
    context.clip()
    this.paintLayer(context, key, pane)
    context.restore()
  }

  private paintLayer(context: CanvasRenderingContext2D, key: string, pane?: Pane): void {
    // Until a picture has come, the last good one stands in its place.
    const layer = this.layers.get(key) ?? this.layers.get(NOW)
    if (!layer) return
    const ratio = window.devicePixelRatio
    const { x, y } = this.toCanvas(layer.region, pane)
    const width = layer.region.width * this.scale
    const height = layer.region.height * this.scale
    const { width: across, height: down } = layer.bitmap
    if (Math.abs(width * ratio - across) < 1 && Math.abs(height * ratio - down) < 1) {
      // One pixel is one on the screen: it is put there as it is, not sampled again.
      context.imageSmoothingEnabled = false
      const left = Math.round(x * ratio) / ratio
      const top = Math.round(y * ratio) / ratio
      context.drawImage(layer.bitmap, left, top, across / ratio, down / ratio)
    } else {
      // A picture seen whole is a picture; one looked into shows its pixels.
      context.imageSmoothingEnabled = this.fitted || this.scale * ratio < 1.5
      context.drawImage(layer.bitmap, x, y, width, height)
    }
  }

  /** The held picture on the left of the line, or above it where the line lies. */
  private paintWipe(context: CanvasRenderingContext2D, key: string, wipe: Wipe): void {
    const at = this.wipePlace(wipe)
    const { along, across } = wipeAxes(wipe)
    const far = this.width + this.height
    const end = (side: number, away: number) => ({
      x: at.x + along.x * side * far - across.x * away * far,
      y: at.y + along.y * side * far - across.y * away * far,
    })
    this.paintIn(context, key, [end(1, 0), end(1, 1), end(-1, 1), end(-1, 0)])
    context.strokeStyle = LINE
    context.lineWidth = 1
    context.beginPath()
    context.moveTo(end(1, 0).x, end(1, 0).y)
    context.lineTo(end(-1, 0).x, end(-1, 0).y)
    context.stroke()
  }

  /** Where the middle of the wipe's line lies on the canvas. */
  wipePlace(wipe: Wipe): Place {
    return this.toCanvas({ x: this.picture.width * wipe.x, y: this.picture.height * wipe.y })
  }
}

/** The directions along the line of a wipe, and across it towards the present picture. */
export function wipeAxes(wipe: Wipe): { along: Place; across: Place } {
  const turn = (wipe.angle * Math.PI) / 180
  return {
    along: { x: -Math.sin(turn), y: Math.cos(turn) },
    across: { x: Math.cos(turn), y: Math.sin(turn) },
  }
}

function boxOf(box: { x: number; y: number; width: number; height: number }): Place[] {
  const { x, y, width, height } = box
  return [
    { x, y },
    { x: x + width, y },
    { x: x + width, y: y + height },
    { x, y: y + height },
  ]
}
