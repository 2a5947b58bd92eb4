/** The version of the application, put in when it is built. */
declare const __VERSION__: string
