import { JexoError } from '../errors.js'

export const loupeErrors = {
  pageNotBuilt: (folder: string) =>
    new JexoError('page-not-built', `the built page is missing at ${folder}`, 'run: npm run build'),
}
