const SLOW_MS = 20
const QUICK_MS = 7
const SMALLER = 0.6

/**
 * How large moving pictures are asked for, as a share of the screen's pixels: smaller where the server needed too long
 * during the drag before. Within a drag the size stays, so that nothing is sampled anew.
 */
export class Pace {
  share = 1
  private times: number[] = []

  took(milliseconds: number): void {
    this.times.push(milliseconds)
  }

  rest(): void {
    if (this.times.length < 5) return
    const median = this.times.sort((a, b) => a - b)[Math.floor(this.times.length / 2)]!
    this.times = []
    if (median > SLOW_MS) this.share = SMALLER
    else if (median < QUICK_MS) this.share = 1
  }
}
