import type { DeliveryFile } from '@/api/types'

/** What a file of a delivery holds, in words. */
export const WHAT_WORDS: Record<DeliveryFile['what'], string> = {
  result: 'The result',
  lights: 'Lights',
  components: 'Components',
  cells: 'Cells',
  passes: 'Passes',
  mattes: 'Mattes',
  breakdown: 'A break-down',
}

const FORMAT_WORDS: Record<DeliveryFile['format'], string> = {
  exr: 'EXR',
  png: 'PNG',
  tiff: 'TIFF',
  jpeg: 'JPEG',
  mkv: 'video, FFV1 lossless',
  mp4: 'video, AV1',
  webm: 'video, VP9',
}

export const isVideo = (file: DeliveryFile) => ['mkv', 'mp4', 'webm'].includes(file.format)

/** Bits, pixel type and compression of a file: "EXR half, ZIP", "PNG 16 bits". */
function formatWords(file: DeliveryFile): string {
  const words = FORMAT_WORDS[file.format]
  if (file.format === 'exr') {
    const kind =
      file.pixel_type ?? (file.what === 'passes' ? 'as stored' : file.what === 'mattes' ? 'float' : 'half')
    return `${words} ${kind}, ${(file.compression ?? 'zip').toUpperCase()}`
  }
  if (file.format === 'tiff' && file.pixel_type) return `${words} ${file.pixel_type}`
  if (file.format === 'jpeg') return words
  return `${words}${isVideo(file) ? ',' : ''} ${file.bits ?? (isVideo(file) ? 8 : 16)} bits`
}

/** The colour that a file holds. */
function colourWords(file: DeliveryFile, inputSpace: string): string {
  if (file.what === 'mattes') return ''
  if (file.space) return `in ${file.space}`
  if (file.display || file.view)
    return `display-referred: ${[file.display, file.view].filter(Boolean).join(', ')}`
  return file.format === 'exr' ? `in ${inputSpace}` : 'display-referred'
}

const SIZE_WORDS: Record<string, string> = { '0.5': 'half size', '0.25': 'quarter size' }

function sizeWords(file: DeliveryFile): string {
  if (file.size === null || file.size === undefined) return ''
  if (typeof file.size === 'number') return SIZE_WORDS[String(file.size)] ?? `at ${file.size} of the size`
  return `${file.size[0]} × ${file.size[1]} px`
}

/** A file of a delivery as a sentence. */
export function fileSentence(file: DeliveryFile, inputSpace: string): string {
  const layered = file.format === 'exr' && file.what !== 'result' && !file.names?.includes('{name}')
  const parts = [
    `${WHAT_WORDS[file.what]} as ${formatWords(file)}`,
    colourWords(file, inputSpace),
    layered ? 'a layer each' : '',
    file.what === 'breakdown' && isVideo(file) ? 'titled' : '',
    sizeWords(file),
    file.only?.length ? `only ${file.only.join(', ')}` : '',
  ]
  return parts.filter(Boolean).join(', ').replace(', in ', ' in ')
}

/** Frame numbers of "1-12, 15": null where it is none; all frames for an empty text. */
export function framesOf(text: string, all: readonly number[]): number[] | null {
  if (!text.trim()) return [...all]
  const wanted = new Set<number>()
  for (const part of text.split(',')) {
    const found = /^\s*(\d+)\s*(?:[-–]\s*(\d+)\s*)?$/.exec(part)
    if (!found) return null
    const first = Number(found[1])
    const last = Number(found[2] ?? found[1])
    for (const number of all) if (number >= first && number <= last) wanted.add(number)
  }
  return wanted.size ? all.filter((number) => wanted.has(number)) : null
}

/** Frame numbers in short: "1-12" for a run. */
export function framesText(frames: readonly number[]): string {
  const runs: [number, number][] = []
  for (const number of frames) {
    const last = runs.at(-1)
    if (last && number === last[1] + 1) last[1] = number
    else runs.push([number, number])
  }
  return runs.map(([first, last]) => (first === last ? `${first}` : `${first}-${last}`)).join(', ')
}
