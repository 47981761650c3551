import fc from 'fast-check'

/** Characters that code treats specially, ASCII, and any other character. */
const character = fc.oneof(
  fc.constantFrom(
    '\0',
    '\t',
    '\n',
    '\r',
    '\x1b',
    '\x7f',
    '\x85',
    '\xa0',
    '\u200b',
    '\u2028',
    '\u202e',
    '\ufeff',
    '\ufffd',
  ),
  fc.integer({ min: 0x20, max: 0x7e }).map((code) => String.fromCharCode(code)),
  fc.nat(0xd7ff).map((code) => String.fromCharCode(code)),
  fc.integer({ min: 0xe000, max: 0x10ffff }).map((code) => String.fromCodePoint(code)),
)

/** Texts of any characters. The unit `binary` of `fast-check` does the same with a table of a million entries. */
export const anyText = (constraints: { minLength?: number; maxLength?: number } = {}) =>
  fc.string({ ...constraints, unit: character })
