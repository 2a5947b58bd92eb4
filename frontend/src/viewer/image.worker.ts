/** The thread that fetches, unpacks and draws pictures, so that none of it waits for the page to lay itself out. */
import { Problem } from '@/api/client'
import { FramePainter } from './FramePainter'
import { NOW } from './framing'
import { viewerOf, type WorkerRequest, type WorkerMessage } from './imageMessages'
import { ImageScheduler } from './ImageScheduler'

const page = self as unknown as {
  onmessage: (event: MessageEvent<WorkerRequest>) => void
  postMessage: (message: WorkerMessage) => void
}
const loops = new Map<string, ImageScheduler>()
let painter: FramePainter | null = null
let viewer = ''

function loopOf(key: string): ImageScheduler {
  const known = loops.get(key)
  if (known) return known
  const made = new ImageScheduler(viewerOf(key, viewer), {
    shown: ({ bitmap, milliseconds, region }, request, settled) =>
      painter?.show(key, bitmap, region, (at) =>
        page.postMessage({ type: 'painted', painted: { key, request, settled, milliseconds, at } }),
      ),
    failed(error) {
      const status = error instanceof Problem ? error.status : 0
      const sentence = error instanceof Error ? error.message : String(error)
      page.postMessage({ type: 'failed', status, sentence })
    },
  })
  loops.set(key, made)
  return made
}

function keep(keys: string[]) {
  painter?.keep([NOW, ...keys])
  for (const [key, loop] of loops) {
    if (key === NOW || keys.includes(key)) continue
    loop.stop()
    loops.delete(key)
  }
}

page.onmessage = ({ data }) => {
  if (data.type === 'begin') {
    painter = new FramePainter(data.canvas)
    viewer = data.viewer
  } else if (data.type === 'frame') painter?.frame(data.framing)
  else if (data.type === 'request') loopOf(data.key).request(data.request, data.moving)
  else if (data.type === 'show') painter?.show(data.key, data.bitmap, data.region)
  else keep(data.keys)
}
