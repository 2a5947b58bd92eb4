/** A part of a page under one heading; `text` is plain, for the search. */
export interface ManualSection {
  id: string
  title: string
  text: string
}

/** A page of the manual. The name is that of its file, empty for the contents. */
export interface ManualPage {
  name: string
  title: string
  sections: ManualSection[]
  html: string
}
