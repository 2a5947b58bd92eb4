type Triple = [number, number, number]

/** A tint from a hue in degrees and an amount in percent; the server keeps its luminance at 1. */
export function tintOf(hue: number, amount: number): Triple {
  const share = amount / 100
  return [0, 240, 120].map((turn) => {
    const angle = (((hue + turn) % 360) + 360) % 360
    const wave = Math.min(1, Math.max(0, Math.abs(angle / 60 - 3) - 1))
    return Math.round((1 - share + share * wave) * 10000) / 10000
  }) as Triple
}

/** Hue and amount of a tint that `tintOf` made; of any other one, the nearest. */
export function tintParts(tint: readonly number[]): { hue: number; amount: number } {
  const top = Math.max(...tint)
  const [r = 1, g = 1, b = 1] = tint.map((value) => (top > 0 ? value / top : 1))
  const low = Math.min(r, g, b)
  const spread = 1 - low
  if (spread < 1e-4) return { hue: 0, amount: 0 }
  const sector = r === 1 ? (g - b) / spread : g === 1 ? 2 + (b - r) / spread : 4 + (r - g) / spread
  return { hue: Math.round((((sector * 60) % 360) + 360) % 360), amount: Math.round(spread * 100) }
}
