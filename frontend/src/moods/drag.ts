/** What is dragged: the id of a variant whose balance another shot shall get. */
export const VARIANT_DRAG = 'application/x-escala-variant'
