import { JexoError } from '../../errors.js'

export const pageErrors = {
  needsVite: (file: string, reference: string) =>
    new JexoError(
      'page-needs-vite',
      `the page refers to ${reference}, and the package vite, which bundles it into one document, is not installed`,
      'run: npm install --save-dev vite',
      file,
    ),
  unbuildable: (file: string, reason: string) =>
    new JexoError('page-unbuildable', `the page cannot be built: ${reason}`, 'fix the page and try again', file),
  missing: (file: string) =>
    new JexoError('page-unbuildable', 'there is no such file', 'check the path in "page" of the view', file),
}
