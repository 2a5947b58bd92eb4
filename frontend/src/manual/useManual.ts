import MiniSearch from 'minisearch'
import { computed, ref, shallowRef } from 'vue'
import type { ManualPage } from './pages'

/** A section of the manual that a search has found. */
export interface Found {
  id: string
  page: string
  pageTitle: string
  section: string
  title: string
  excerpt: string
}

const MOST_FOUND = 20
const EXCERPT = 140

const pages = shallowRef<ManualPage[]>([])
const state = ref<'loading' | 'error' | 'ready'>('loading')
let loading: Promise<void> | null = null

const search = new MiniSearch<Found & { text: string }>({
  fields: ['title', 'pageTitle', 'text'],
  storeFields: ['page', 'pageTitle', 'section', 'title', 'text'],
  searchOptions: { boost: { title: 3, pageTitle: 2 }, prefix: true, fuzzy: 0.15, combineWith: 'AND' },
})

/** The pages come with their first use, in a file of their own. */
async function load() {
  try {
    pages.value = (await import('virtual:manual')).default
    search.addAll(pages.value.flatMap(sectionsOf))
    state.value = 'ready'
  } catch {
    state.value = 'error'
    loading = null
  }
}

const sectionsOf = (page: ManualPage) =>
  page.sections.map((section) => ({
    id: `${page.name}#${section.id}`,
    page: page.name,
    pageTitle: page.title,
    section: section.id,
    title: section.title,
    text: section.text,
    excerpt: '',
  }))

/** The words around the first term that was found. */
function excerptOf(text: string, terms: string[]): string {
  const lower = text.toLowerCase()
  const places = terms.map((term) => lower.indexOf(term.toLowerCase())).filter((at) => at >= 0)
  const start = Math.max(0, (places.length ? Math.min(...places) : 0) - EXCERPT / 3)
  const from = start && text.indexOf(' ', start) + 1
  const end = from + EXCERPT < text.length ? text.lastIndexOf(' ', from + EXCERPT) : text.length
  const part = text.slice(from, end).replace(/\s+/g, ' ')
  return `${from ? '… ' : ''}${part}${end < text.length ? ' …' : ''}`
}

/** The manual: its pages, and a search through all sections. */
export function useManual() {
  loading ??= load()
  const words = ref('')
  const found = computed<Found[]>(() => {
    if (state.value !== 'ready' || !words.value.trim()) return []
    return search
      .search(words.value)
      .slice(0, MOST_FOUND)
      .map((one) => ({ ...(one as unknown as Found), excerpt: excerptOf(one.text as string, one.terms) }))
  })
  const pageOf = (name: string) => pages.value.find((page) => page.name === name)
  return { pages, state, words, found, pageOf }
}
