/** Longer than this from the pointer to the painted image, and smaller pictures come; shorter, and larger ones. */
const SLOW_MS = 40
const QUICK_MS = 16
const SHARES = [1, 0.7, 0.5]
const ENOUGH = 5
const MUCH = 1.4

/**
 * How large previews are requested, as a share of the screen's pixels: smaller where they came too late during
 * the drag before. Within a drag the size stays, so that nothing is sampled anew.
 */
export class Pace {
  private step = 0
  private times: number[] = []

  get share(): number {
    return SHARES[this.step]!
  }

  /** A preview was painted so long after the pointer moved. */
  took(milliseconds: number): void {
    this.times.push(milliseconds)
  }

  rest(): void {
    if (this.times.length >= ENOUGH) {
      const median = this.times.sort((a, b) => a - b)[Math.floor(this.times.length / 2)]!
      if (median > SLOW_MS)
        this.step = Math.min(this.step + (median > MUCH * SLOW_MS ? 2 : 1), SHARES.length - 1)
      else if (median < QUICK_MS) this.step = Math.max(this.step - 1, 0)
    }
    this.times = []
  }
}
