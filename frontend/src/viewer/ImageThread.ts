import { Problem } from '@/api/client'
import type { Region } from '@/api/types'
import type { Framing } from './framing'
import type { WorkerRequest, Painted, WorkerMessage, ImageRequest } from './imageMessages'

interface ThreadHooks {
  painted: (painted: Painted) => void
  failed: (error: Problem) => void
}

/** The page's end of the thread that fetches and draws pictures on a canvas. */
export class ImageThread {
  /** Each page is a viewer of its own: its newer pictures replace only its own. */
  readonly viewer = Math.random().toString(36).slice(2)
  private readonly worker = new Worker(new URL('./image.worker.ts', import.meta.url), { type: 'module' })

  constructor(canvas: HTMLCanvasElement, hooks: ThreadHooks) {
    this.worker.onmessage = ({ data }: MessageEvent<WorkerMessage>) => {
      if (data.type === 'painted') hooks.painted(data.painted)
      else hooks.failed(new Problem(data.status, data.sentence))
    }
    this.worker.onerror = () => hooks.failed(new Problem(0, 'The image could not be drawn. Reload the page.'))
    const drawn = canvas.transferControlToOffscreen()
    this.post({ type: 'begin', canvas: drawn, viewer: this.viewer }, [drawn])
  }

  destroy(): void {
    this.worker.terminate()
  }

  frame(framing: Framing): void {
    this.post({ type: 'frame', framing })
  }

  /** Ask for a picture; `moving` while something is still dragged. */
  request(key: string, request: ImageRequest, moving: boolean): void {
    this.post({ type: 'request', key, request, moving })
  }

  /** Show a picture that is at hand; it is handed over. */
  show(key: string, bitmap: ImageBitmap, region: Region): void {
    this.post({ type: 'show', key, bitmap, region }, [bitmap])
  }

  /** Let go of pictures but the present one and those of some keys. */
  keep(keys: string[]): void {
    this.post({ type: 'keep', keys })
  }

  private post(request: WorkerRequest, transferred: Transferable[] = []): void {
    this.worker.postMessage(request, transferred)
  }
}
