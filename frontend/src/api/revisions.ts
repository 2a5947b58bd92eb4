import type { Variant } from './types'
import { api, unwrap } from './client'

/** The document of a variant as it was after a revision. */
export async function fetchRevision(variant: number, number: number): Promise<Variant> {
  const params = { path: { variant_id: variant, number } }
  const answer = api.GET('/api/variants/{variant_id}/revisions/{number}', { params })
  return (await unwrap<{ document: Variant }>(answer)).document
}
