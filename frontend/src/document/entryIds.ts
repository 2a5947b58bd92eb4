/** What an id is made from: an entry of a list of the document. */
interface Identified {
  id?: string
  kind?: string
}

/** New entries with ids that are free in their list, as the server would give them: the kind and a number. */
export function withFreeIds<New extends Identified>(entries: New[], list: Identified[]): New[] {
  const taken = new Set(list.map((entry) => entry.id))
  return entries.map((entry) => {
    let number = 1
    while (taken.has(`${entry.kind}${number}`)) number += 1
    const id = `${entry.kind}${number}`
    taken.add(id)
    return { ...entry, id }
  })
}
