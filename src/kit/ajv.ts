import formats from 'ajv-formats'

// The schema compiler and its formats, in one module that is loaded at first use.
export { Ajv } from 'ajv'
export { Ajv2020 } from 'ajv/dist/2020.js'
export { metaschema } from './metaschema.js'
export const addFormats = formats.default
