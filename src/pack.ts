/**
 * Packs kits: the functions of `jexo pack`.
 * @module
 */
export type { Form, FormOptions, OutFile } from './pack/form.js'
export { type FormName, forms } from './pack/forms.js'
export { type Packed, type PackedSetting, packKit } from './pack/pack-kit.js'
export { type TriedPack, tryPacked } from './pack/try-packed.js'
export { writeOut } from './pack/write-out.js'
