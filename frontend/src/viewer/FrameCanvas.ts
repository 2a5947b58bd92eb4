import type { Region } from '@/api/types'

export interface Place {
  x: number
  y: number
}

interface Layer {
  bitmap: ImageBitmap
  region: Region
}

/**
 * Draws a picture with zoom and pan on a canvas of its own, at most once a screen refresh.
 * Places are columns and rows of the full picture; `scale` is screen pixels (CSS) for each of them.
 */
export class FrameCanvas {
  scale = 1
  fitted = true
  /** Size of the canvas on the page; measured when it changes, for asking makes the page lay itself out. */
  width = 1
  height = 1
  private centre: Place
  private now: Layer | null = null
  private held: Layer | null = null
  private wipe: number | null = null
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
    this.now = this.held = null
    this.fit()
  }

  /** Show a bitmap of a region; the last good picture stays until then. */
  show(bitmap: ImageBitmap, region: Region): void {
    this.now?.bitmap.close()
    this.now = { bitmap, region }
    this.draw()
  }

  /** The held state, left of the wipe; null shows only the present one. */
  showHeld(layer: Layer | null, wipe: number | null): void {
    if (layer && layer.bitmap !== this.held?.bitmap) this.held?.bitmap.close()
    if (layer) this.held = layer
    this.wipe = wipe
    this.draw()
  }

  fit(): void {
    this.fitted = true
    this.centre = { x: this.picture.width / 2, y: this.picture.height / 2 }
    this.resize()
  }

  /** Zoom to a scale, keeping the picture where it is under a place of the canvas. */
  zoom(scale: number, under?: Place): void {
    const at = under ?? { x: this.width / 2, y: this.height / 2 }
    const before = this.toPicture(at)
    this.fitted = false
    this.scale = Math.min(64, Math.max(this.fitScale() / 4, scale))
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

  toPicture(place: Place): Place {
    return {
      x: (place.x - this.width / 2) / this.scale + this.centre.x,
      y: (place.y - this.height / 2) / this.scale + this.centre.y,
    }
  }

  toCanvas(place: Place): Place {
    return {
      x: (place.x - this.centre.x) * this.scale + this.width / 2,
      y: (place.y - this.centre.y) * this.scale + this.height / 2,
    }
  }

  /** The part of the picture in view, in whole pixels. */
  region(): Region {
    const first = this.toPicture({ x: 0, y: 0 })
    const last = this.toPicture({ x: this.width, y: this.height })
    const x = Math.max(0, Math.floor(first.x))
    const y = Math.max(0, Math.floor(first.y))
    const right = Math.min(this.picture.width, Math.ceil(last.x))
    const bottom = Math.min(this.picture.height, Math.ceil(last.y))
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

  private fitScale(): number {
    const margin = 8
    const across = (this.width - 2 * margin) / this.picture.width
    return Math.max(0.01, Math.min(across, (this.height - 2 * margin) / this.picture.height))
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

  private draw(): void {
    cancelAnimationFrame(this.waiting)
    this.waiting = requestAnimationFrame(() => this.paint())
  }

  private paint(): void {
    const context = this.canvas.getContext('2d', { alpha: false })
    if (!context) return
    const ratio = window.devicePixelRatio
    context.setTransform(ratio, 0, 0, ratio, 0, 0)
    context.fillStyle = this.surround
    context.fillRect(0, 0, this.width, this.height)
    if (this.now) this.paintLayer(context, this.now)
    if (this.held && this.wipe !== null) this.paintWipe(context, this.held, this.wipe)
  }

  private paintLayer(context: CanvasRenderingContext2D, layer: Layer): void {
    const ratio = window.devicePixelRatio
    const { x, y } = this.toCanvas(layer.region)
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

  private paintWipe(context: CanvasRenderingContext2D, layer: Layer, wipe: number): void {
    const edge = this.toCanvas({ x: this.picture.width * wipe, y: 0 }).x
    context.save()
    context.beginPath()
    context.rect(0, 0, edge, this.height)
    context.clip()
    this.paintLayer(context, layer)
    context.restore()
    if (wipe >= 1) return
    context.fillStyle = '#f3e6c2'
    context.fillRect(edge - 0.5, 0, 1, this.height)
  }
}
