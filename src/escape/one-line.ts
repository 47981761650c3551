/**
 * A text as it may stand on one line of a file that has no quotes of its own for it, such as a comment or a description: no control
 * characters and no line ends. For formats in which those separate entries.
 */
export const oneLine = (text: string): string => text.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ').trim()
