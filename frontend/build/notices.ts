import { existsSync, readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import type { Plugin } from 'vite'

interface Manifest {
  name: string
  version: string
  license?: string
  dependencies?: Record<string, string>
}

const TEXT = /^(licen[cs]e|copying|notice)/i

/** Writes notices.txt beside the built page: the licences of all packages that are bundled into it. */
export function notices(): Plugin {
  return {
    name: 'notices',
    apply: 'build',
    generateBundle() {
      const texts = bundled(manifestAt('.')).map(noticeOf)
      const source = `Escala bundles these packages.\n\n${texts.join(`\n\n${'-'.repeat(72)}\n\n`)}\n`
      this.emitFile({ type: 'asset', fileName: 'notices.txt', source })
    },
  }
}

const folderOf = (name: string) => join('node_modules', name)
const manifestAt = (folder: string) =>
  JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as Manifest

/** The packages that a package depends on, with those of theirs, by their names. */
function bundled(root: Manifest): Manifest[] {
  const found = new Map<string, Manifest>()
  function add(manifest: Manifest) {
    for (const name of Object.keys(manifest.dependencies ?? {})) {
      if (found.has(name) || !existsSync(folderOf(name))) continue
      const inner = manifestAt(folderOf(name))
      found.set(name, inner)
      add(inner)
    }
  }
  add(root)
  return [...found.values()].sort((one, other) => one.name.localeCompare(other.name))
}

function noticeOf({ name, version, license }: Manifest): string {
  const files = readdirSync(folderOf(name)).filter((file) => TEXT.test(file))
  const texts = files.map((file) => readFileSync(join(folderOf(name), file), 'utf8').trim())
  return [`${name} ${version} (${license ?? 'licence in its text'})`, ...texts].join('\n\n')
}
