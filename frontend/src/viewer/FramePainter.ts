import type { Wipe } from '@/stores/holds'
import type { Region } from '@/api/types'
import { NOW, panesOf, toCanvas, wipeAxes, wipePlace, type Framing, type Pane, type Place } from './framing'

interface Layer {
  bitmap: ImageBitmap
  region: Region
}

type Context = OffscreenCanvasRenderingContext2D

const LINE = '#f3e6c2'

/** Draws pictures as a framing wants them, at most once a screen refresh. */
export class FramePainter {
  private readonly layers = new Map<string, Layer>()
  private readonly context: Context
  private framing: Framing | null = null
  private waiting = 0
  private onPainted: ((at: number) => void)[] = []

  constructor(private readonly canvas: OffscreenCanvas) {
    this.context = canvas.getContext('2d', { alpha: false })!
  }

  /** Show a bitmap of a region under a key; the last good picture stays until then. `painted` is called when it is seen. */
  show(key: string, bitmap: ImageBitmap, region: Region, painted?: (at: number) => void): void {
    this.layers.get(key)?.bitmap.close()
    this.layers.set(key, { bitmap, region })
    if (painted) this.onPainted.push(painted)
    this.draw()
  }

  frame(framing: Framing): void {
    const { picture } = framing
    const before = this.framing?.picture ?? picture
    if (picture.width !== before.width || picture.height !== before.height) this.keep([])
    this.framing = framing
    this.draw()
  }

  /** Let go of all pictures but those of some keys, which are kept, so that they are shown at once. */
  keep(keys: string[]): void {
    for (const [key, layer] of this.layers) {
      if (keys.includes(key)) continue
      layer.bitmap.close()
      this.layers.delete(key)
    }
  }

  /** Draw again at the next screen refresh. */
  private draw(): void {
    cancelAnimationFrame(this.waiting)
    this.waiting = requestAnimationFrame(() => this.paint())
  }

  private paint(): void {
    if (!this.framing) return
    const { canvas, ratio, surround } = this.framing
    const width = Math.max(1, Math.round(canvas.width * ratio))
    const height = Math.max(1, Math.round(canvas.height * ratio))
    if (this.canvas.width !== width) this.canvas.width = width
    if (this.canvas.height !== height) this.canvas.height = height
    this.context.setTransform(ratio, 0, 0, ratio, 0, 0)
    this.context.fillStyle = surround
    this.context.fillRect(0, 0, canvas.width, canvas.height)
    this.paintArrangement(this.framing)
    const callbacks = this.onPainted
    this.onPainted = []
    const at = performance.timeOrigin + performance.now()
    // The page gets what is drawn at the end of this task: who is called earlier could read the image before.
    if (callbacks.length) setTimeout(() => callbacks.forEach((call) => call(at)))
  }

  private paintArrangement(framing: Framing): void {
    const { arrangement, canvas } = framing
    const { kind, keys } = arrangement
    if (kind === 'side') {
      for (const pane of panesOf(framing)) this.paintIn(framing, pane.key, boxOf(pane), pane)
    } else if (kind === 'split') {
      const strip = canvas.width / keys.length
      keys.forEach((key, i) =>
        this.paintIn(framing, key, boxOf({ key, x: i * strip, y: 0, width: strip, height: canvas.height })),
      )
      this.context.fillStyle = LINE
      keys.slice(1).forEach((_, i) => this.context.fillRect((i + 1) * strip - 0.5, 0, 1, canvas.height))
    } else if (kind === 'wipe') {
      this.paintLayer(framing, NOW)
      this.paintWipe(framing, keys[1]!, arrangement.wipe)
    } else {
      this.paintLayer(framing, keys[0]!)
    }
  }

  private paintIn(framing: Framing, key: string, outline: Place[], pane?: Pane): void {
    this.context.save()
    this.context.beginPath()
    for (const corner of outline) this.context.lineTo(corner.x, corner.y)
    this.context.closePath()
    this.context.clip()
    this.paintLayer(framing, key, pane)
    this.context.restore()
  }

  private paintLayer(framing: Framing, key: string, pane?: Pane): void {
    // Until a picture has come, the last good one stands in its place.
    const layer = this.layers.get(key) ?? this.layers.get(NOW)
    if (!layer) return
    const { ratio, scale, fitted } = framing
    const { x, y } = toCanvas(framing, layer.region, pane)
    const width = layer.region.width * scale
    const height = layer.region.height * scale
    const { width: across, height: down } = layer.bitmap
    if (Math.abs(width * ratio - across) < 1 && Math.abs(height * ratio - down) < 1) {
      // One pixel is one on the screen: it is put there as it is, not sampled again.
      this.context.imageSmoothingEnabled = false
      const left = Math.round(x * ratio) / ratio
      const top = Math.round(y * ratio) / ratio
      this.context.drawImage(layer.bitmap, left, top, across / ratio, down / ratio)
    } else {
      // A picture seen whole is a picture; one looked into shows its pixels.
      this.context.imageSmoothingEnabled = fitted || scale * ratio < 1.5
      this.context.drawImage(layer.bitmap, x, y, width, height)
    }
  }

  /** The held picture on the left of the line, or above it where the line lies. */
  private paintWipe(framing: Framing, key: string, wipe: Wipe): void {
    const at = wipePlace(framing, wipe)
    const { along, across } = wipeAxes(wipe)
    const far = framing.canvas.width + framing.canvas.height
    const end = (side: number, away: number) => ({
      x: at.x + along.x * side * far - across.x * away * far,
      y: at.y + along.y * side * far - across.y * away * far,
    })
    this.paintIn(framing, key, [end(1, 0), end(1, 1), end(-1, 1), end(-1, 0)])
    this.context.strokeStyle = LINE
    this.context.lineWidth = 1
    this.context.beginPath()
    this.context.moveTo(end(1, 0).x, end(1, 0).y)
    this.context.lineTo(end(-1, 0).x, end(-1, 0).y)
    this.context.stroke()
  }
}

function boxOf({ x, y, width, height }: Pane): Place[] {
  return [
    { x, y },
    { x: x + width, y },
    { x: x + width, y: y + height },
    { x, y: y + height },
  ]
}
