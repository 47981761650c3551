import { codeFiles, type Form } from '../form.js'

/** One file that needs only Node. */
export const fileForm: Form = {
  about: 'one file that needs only Node',
  files: codeFiles,
  next: ({ fileName }, folder) => [`node ${folder}/${fileName}   (--http 4870 for HTTP)`],
}
