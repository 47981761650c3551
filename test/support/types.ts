interface TypeIssue {
  file: string | undefined
  text: string
}

declare global {
  // Set by the environment of the tests.
  var typeRunner: {
    issues(
      files: readonly string[],
      options: object,
      own: (file: string) => boolean,
      texts?: Readonly<Record<string, string>>,
    ): TypeIssue[]
  }
}

/**
 * Issues of types in a program, `file: text` each. Options are those of a `tsconfig.json`. Only files that are `own` are
 * checked, since declarations of libraries take most of the time.
 */
export const typeIssues = (
  files: readonly string[],
  options: object,
  own: (file: string) => boolean,
  texts?: Readonly<Record<string, string>>,
): string[] => typeRunner.issues(files, options, own, texts).map(({ file, text }) => `${file}: ${text}`)
