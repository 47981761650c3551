/**
 * TypeScript for all test files of a Jest worker. It reads the declarations of libraries once: that takes most of the
 * time of a small program.
 */
import { createRequire } from 'node:module'

export class TypeRunner {
  #typescript
  #declarations = new Map()

  /**
   * Compiles files without output; returns the issues that are within `own`.
   *
   * @param texts files that do not exist, by path
   */
  issues(files, options, own, texts = {}) {
    this.#typescript ??= createRequire(import.meta.url)('typescript')
    const ts = this.#typescript
    const { options: parsed, errors } = ts.convertCompilerOptionsFromJson(options, process.cwd())
    const host = this.#host({ noEmit: true, ...parsed }, texts)
    const program = ts.createProgram(files, { noEmit: true, ...parsed }, host)
    const found = [
      ...errors,
      ...program.getOptionsDiagnostics(),
      ...program.getGlobalDiagnostics(),
      ...program
        .getSourceFiles()
        .filter(({ fileName }) => own(fileName))
        .flatMap((file) => [...program.getSyntacticDiagnostics(file), ...program.getSemanticDiagnostics(file)]),
    ]
    return found.map(({ file, messageText }) => ({
      file: file?.fileName,
      text: ts.flattenDiagnosticMessageText(messageText, '\n'),
    }))
  }

  #host(options, texts) {
    const ts = this.#typescript
    const host = ts.createCompilerHost(options)
    const { getSourceFile, fileExists, readFile } = host
    host.fileExists = (file) => Object.hasOwn(texts, file) || fileExists(file)
    host.readFile = (file) => (Object.hasOwn(texts, file) ? texts[file] : readFile(file))
    host.getSourceFile = (file, version, ...rest) => {
      if (Object.hasOwn(texts, file)) return ts.createSourceFile(file, texts[file], version)
      if (!/\/node_modules\/(typescript\/lib|@types|undici-types)\//.test(file))
        return getSourceFile(file, version, ...rest)
      const { languageVersion = version, impliedNodeFormat } = version
      const key = `${languageVersion} ${impliedNodeFormat} ${file}`
      if (!this.#declarations.has(key)) this.#declarations.set(key, getSourceFile(file, version, ...rest))
      return this.#declarations.get(key)
    }
    return host
  }
}
