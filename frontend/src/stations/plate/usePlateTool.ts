import { onScopeDispose } from 'vue'
import type { PictureLayer } from '@/api/types'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'

/** A picture is moved by dragging it in the image. */
export function usePlateTool(
  layer: () => PictureLayer,
  moving: (change: object) => void,
  settled: (change: object) => void,
) {
  let start: { at: ImagePoint; move: [number, number] } | null = null
  let change: { move: [number, number] } | null = null
  const moveOf = () => (layer().move ?? [0, 0]) as [number, number]
  const text = (by: number) => `${by < 0 ? '−' : '+'}${Math.abs(Math.round(by))}`

  const letGo = usePointerTool().take({
    begin: (_pixel, at) => {
      start = { at, move: moveOf() }
      change = null
    },
    move: (_by, fine, at) => {
      if (!start) return
      const share = fine ? 0.1 : 1
      const [x, y] = start.move
      change = { move: [round(x + (at.x - start.at.x) * share), round(y + (at.y - start.at.y) * share)] }
      moving(change)
    },
    end: () => {
      if (change) settled(change)
      start = change = null
    },
    words: () => '',
    doing: () => {
      const [x, y] = change?.move ?? moveOf()
      return change ? `${text(x)}, ${text(y)} px` : 'drag to move the layer'
    },
  })
  onScopeDispose(letGo)
}

const round = (value: number) => Math.round(value * 10) / 10
