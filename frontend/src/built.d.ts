/** The version of the application, put in when it is built. */
declare const __VERSION__: string

declare module 'virtual:manual' {
  const pages: import('@/manual/pages').ManualPage[]
  export default pages
}
