import type { Wipe } from '@/stores/holds'
import type { Region } from '@/api/types'
import {
  fitScale,
  NOW,
  outSizeOf,
  panesOf,
  playedSizeOf,
  regionOf,
  toCanvas,
  toPicture,
  wipePlace,
  type Arrangement,
  type Framing,
  type Pane,
  type Place,
  type Size,
} from './framing'

interface FrameHooks {
  /** Where the picture lies, whenever that changes in any way. */
  framed: (framing: Framing) => void
  /** Another part of the picture is in view, or at another size. */
  moved: () => void
}

/** Zoom and pan of the picture on its canvas, and how pictures are laid out there. */
export class FrameCanvas {
  private framing: Framing
  private readonly observer: ResizeObserver

  constructor(
    private readonly canvas: HTMLCanvasElement,
    picture: Size,
    private readonly hooks: FrameHooks,
  ) {
    this.framing = {
      canvas: { width: 1, height: 1 },
      ratio: 1,
      picture,
      centre: middleOf(picture),
      scale: 1,
      fitted: true,
      arrangement: { kind: 'one', keys: [NOW] },
      surround: getComputedStyle(canvas).backgroundColor,
    }
    this.observer = new ResizeObserver(() => this.measure())
    this.observer.observe(canvas)
    this.measure()
  }

  destroy(): void {
    this.observer.disconnect()
  }

  get scale(): number {
    return this.framing.scale
  }

  get fitted(): boolean {
    return this.framing.fitted
  }

  /** Of the canvas, in CSS pixels; measured when it changes, for asking makes the page lay itself out. */
  get size(): Size {
    return this.framing.canvas
  }

  /** Take the colour of the surround from the style sheet. */
  dress(): void {
    this.become({ surround: getComputedStyle(this.canvas).backgroundColor })
  }

  setPicture(picture: Size): void {
    this.become({ picture, centre: middleOf(picture), fitted: true })
  }

  arrange(arrangement: Arrangement): void {
    this.become({ arrangement })
  }

  fit(): void {
    this.become({ centre: middleOf(this.framing.picture), fitted: true })
  }

  /** Zoom to a scale, keeping the picture where it is under a place of the canvas. */
  zoom(scale: number, under?: Place): void {
    const pane = this.panes()[0]!
    const at = under ?? { x: pane.x + pane.width / 2, y: pane.y + pane.height / 2 }
    const before = this.toPicture(at)
    const next = Math.min(96, Math.max(fitScale(this.framing) / 4, scale))
    const after = toPicture({ ...this.framing, scale: next }, at)
    this.become({ fitted: false, scale: next, centre: this.inside(before.x - after.x, before.y - after.y) })
  }

  pan(dx: number, dy: number): void {
    this.become({ fitted: false, centre: this.inside(-dx / this.scale, -dy / this.scale) })
  }

  panes(): Pane[] {
    return panesOf(this.framing)
  }

  toPicture(place: Place): Place {
    return toPicture(this.framing, place)
  }

  toCanvas(place: Place): Place {
    return toCanvas(this.framing, place)
  }

  region(): Region {
    return regionOf(this.framing)
  }

  outSize(region: Region, share = 1): Size {
    return outSizeOf(this.framing, region, share)
  }

  playedSize(region: Region): Size {
    return playedSizeOf(this.framing, region)
  }

  wipePlace(wipe: Wipe): Place {
    return wipePlace(this.framing, wipe)
  }

  private measure(): void {
    const { clientWidth: width, clientHeight: height } = this.canvas
    this.become({ canvas: { width, height }, ratio: window.devicePixelRatio })
  }

  /** The centre moved by so many pixels of the picture, kept inside it. */
  private inside(dx: number, dy: number): Place {
    const { centre, picture } = this.framing
    return {
      x: Math.min(picture.width, Math.max(0, centre.x + dx)),
      y: Math.min(picture.height, Math.max(0, centre.y + dy)),
    }
  }

  private become(change: Partial<Framing>): void {
    const before = viewOf(this.framing)
    const next = { ...this.framing, ...change }
    this.framing = next.fitted ? { ...next, scale: fitScale(next) } : next
    this.hooks.framed(this.framing)
    if (viewOf(this.framing) !== before) this.hooks.moved()
  }
}

/** The part in view and its size, in a word. */
function viewOf(framing: Framing): string {
  const region = regionOf(framing)
  return JSON.stringify([region, outSizeOf(framing, region), framing.scale])
}

function middleOf(size: Size): Place {
  return { x: size.width / 2, y: size.height / 2 }
}
