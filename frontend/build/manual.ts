import { readdirSync, readFileSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import MarkdownIt from 'markdown-it'
import type { Plugin } from 'vite'
import type { ManualPage, ManualSection } from '../src/manual/pages'

const FOLDER = resolve('../docs/manual')
const CONTENTS = 'README.md'
const MODULE = 'virtual:manual'
const RESOLVED = `\0${MODULE}`

/** Offers the pages of the manual as the module `virtual:manual`; a link to nowhere ends the build. */
export function manual(): Plugin {
  return {
    name: 'manual',
    resolveId: (id) => (id === MODULE ? RESOLVED : undefined),
    load(id) {
      if (id !== RESOLVED) return
      const files = [CONTENTS, ...listedFiles()]
      for (const file of files) this.addWatchFile(join(FOLDER, file))
      return moduleOf(files.map(pageOf))
    },
  }
}

/** The pages in the order of the contents. Every file of the folder must be listed there. */
function listedFiles(): string[] {
  const listed = [...textOf(CONTENTS).matchAll(/\]\(([\w-]+\.md)\)/g)].map((match) => match[1]!)
  const files = readdirSync(FOLDER).filter((file) => file.endsWith('.md') && file !== CONTENTS)
  const missing = files.filter((file) => !listed.includes(file))
  if (missing.length) throw new Error(`${CONTENTS} of the manual does not list ${missing.join(', ')}`)
  return listed
}

const textOf = (file: string) => readFileSync(join(FOLDER, file), 'utf8')
const nameOf = (file: string) => (file === CONTENTS ? '' : basename(file, '.md'))
const slugOf = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .trim()
    .replace(/\s+/g, '-')

/** A page of which each heading begins a section. */
function pageOf(file: string): ManualPage {
  const markdown = new MarkdownIt()
  const tokens = markdown.parse(textOf(file), {})
  const sections: ManualSection[] = []
  tokens.forEach((token, index) => {
    if (token.type === 'heading_open') {
      const title = plainOf(tokens[index + 1]!.children ?? [])
      token.attrSet('id', slugOf(title))
      sections.push({ id: slugOf(title), title, text: '' })
    } else if (token.type === 'inline' && tokens[index - 1]?.type !== 'heading_open') {
      const section = sections.at(-1)
      if (!section) throw new Error(`${file} of the manual does not begin with a heading`)
      section.text += `${plainOf(token.children ?? [])}\n`
      for (const child of token.children ?? []) prepare(file, child)
    } else if (token.type === 'fence' || token.type === 'code_block') {
      const section = sections.at(-1)
      if (section) section.text += `${token.content}\n`
    }
  })
  const title = sections[0]?.title ?? ''
  return { name: nameOf(file), title, sections, html: markdown.renderer.render(tokens, markdown.options, {}) }
}

type Token = ReturnType<MarkdownIt['parse']>[number]

const plainOf = (tokens: Token[]) =>
  tokens
    .map((token) => (token.type === 'softbreak' ? ' ' : token.type === 'image' ? '' : token.content))
    .join('')

/** Links lead to the addresses of pages; pictures are imported, so that the build bundles them. */
function prepare(file: string, token: Token) {
  if (token.type === 'image') {
    const path = resolve(FOLDER, dirname(file), token.attrGet('src')!)
    token.attrSet('src', `%%${path}%%`)
  } else if (token.type === 'link_open') {
    const match = /^([\w-]+\.md)(#[\w-]+)?$/.exec(token.attrGet('href')!)
    if (!match)
      throw new Error(
        `${file} of the manual links to ${token.attrGet('href')}: only pages of it can be opened`,
      )
    readFileSync(join(FOLDER, match[1]!))
    token.attrSet('href', `/manual/${nameOf(match[1]!)}${match[2] ?? ''}`)
  }
}

function moduleOf(pages: ManualPage[]): string {
  const paths: string[] = []
  const content = JSON.stringify(pages).replace(/%%(.+?)%%/g, (_, path: string) => {
    if (!paths.includes(path)) paths.push(path)
    return `" + picture${paths.indexOf(path)} + "`
  })
  const imports = paths.map((path, index) => `import picture${index} from ${JSON.stringify(`${path}?url`)}`)
  return `${imports.join('\n')}\nexport default ${content}\n`
}
