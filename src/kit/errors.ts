import { JexoError, listOf } from '../errors.js'

export const kitErrors = {
  partTaken: (kind: string, key: string) =>
    new JexoError('part-taken', `two parts have the name ${kind} "${key}"`, 'rename or remove one of them'),
  partName: (kind: string, name: string) =>
    new JexoError(
      'part-name',
      `the ${kind} name ${JSON.stringify(name)} is not allowed`,
      'use 1 to 128 of the characters A-Z a-z 0-9 _ - .',
    ),
  optionUnknown: (part: string, key: string, meant: string | undefined, known: readonly string[]) =>
    new JexoError(
      'option-unknown',
      `${part} has no option "${key}"`,
      meant === undefined ? `its options are ${known.join(', ')}` : `write "${meant}" instead`,
    ),
  optionsMissing: (part: string) =>
    new JexoError('option-unknown', `${part} has no options`, 'pass an object with its options'),
  partField: (part: string, field: string, wanted: string) =>
    new JexoError('part-field', `"${field}" of ${part} is missing or not valid`, `expected ${wanted}`),
  schemaNotObject: (part: string, field: string, given: string) =>
    new JexoError(
      'schema-not-object',
      `the ${field} schema of ${part} is ${given}, not an object`,
      field === 'output' ? 'wrap it, as in z.object({ value: … })' : 'use an object schema, as in z.object({ … })',
    ),
  schemaUnreadable: (part: string, field: string, reason: string) =>
    new JexoError(
      'schema-unreadable',
      `the ${field} schema of ${part} cannot become JSON Schema (${reason})`,
      'use types that JSON can represent, or a plain JSON Schema object',
    ),
  schemaWithoutJson: (part: string, field: string, vendor: string) =>
    new JexoError(
      'schema-without-json',
      `the ${field} schema of ${part} is a ${vendor} schema that does not convert to JSON Schema`,
      'use zod 4.2 or later, the library\'s "Standard JSON Schema" converter, or a plain JSON Schema object',
    ),
  promptField: (part: string, field: string) =>
    new JexoError(
      'prompt-field',
      `the argument "${field}" of ${part} is not a string`,
      'prompt arguments are strings or enums of strings, required or optional',
    ),
  viewUri: (part: string, uri: string) =>
    new JexoError(
      'view-uri',
      `${part}: ${JSON.stringify(uri)} is not a valid URI of a view`,
      'begin it with ui://, as in ui://apiary/hive-card',
    ),
  pageNotHtml: (part: string) =>
    new JexoError(
      'view-page',
      `"page" of ${part} is a string without HTML`,
      "use the URL of a file, new URL('./page/index.html', import.meta.url), or the HTML itself",
    ),
  pageNotBuilt: (uri: string) =>
    new JexoError(
      'view-page',
      `the page of ${uri} is a file, which cannot be built here`,
      'serve the kit with jexo serve or jexo/node, pack it with jexo pack, or use a string of HTML',
    ),
  uriInvalid: (part: string, uri: string) =>
    new JexoError(
      'uri-invalid',
      `${part}: ${JSON.stringify(uri)} is not a valid URI`,
      'use a URI with a scheme, such as apiary://hives',
    ),
  notAPart: (given: string) =>
    new JexoError(
      'not-a-part',
      `the list of parts contains ${given}`,
      'pass the results of tool, resource, template or prompt, and spread arrays with ...',
    ),
  partMissing: (name: string, closest: readonly string[]) =>
    new JexoError(
      'part-missing',
      `there is no part "${name}"`,
      closest.length > 0 ? `did you mean ${listOf(closest)}?` : 'check the name',
    ),
  kitField: (field: string, wanted: string) =>
    new JexoError('kit-field', `"${field}" of the kit is missing or not valid`, `expected ${wanted}`),
  settingName: (name: string) =>
    new JexoError(
      'kit-field',
      `${JSON.stringify(name)} is not a valid name for a setting`,
      'use letters, digits and underscores, as in SCALES_URL',
    ),
  settingsMissing: (lines: readonly string[]) =>
    new JexoError(
      'settings-missing',
      `${lines.length === 1 ? 'a setting is' : `${lines.length} settings are`} missing: ${lines.join('; ')}`,
      `set ${lines.length === 1 ? 'it' : 'them'} in the environment, or pass --env NAME=value`,
    ),
  questionField: (label: string, field: string) =>
    new JexoError(
      'question-field',
      `${label}: the field "${field}" cannot be part of a form`,
      'ask for strings, numbers, booleans, one choice or several choices, without nesting',
      undefined,
      { forCallers: true },
    ),
  questionMany: (label: string, field: string, revision: string) =>
    new JexoError(
      'question-many',
      `${label}: hosts of revision ${revision} do not support several choices in one field ("${field}")`,
      'ask for one choice at a time',
      undefined,
      { forCallers: true },
    ),
  layerName: (name: string) =>
    new JexoError(
      'layer-invalid',
      `${JSON.stringify(name)} is not a valid name for a layer`,
      'use letters, digits, dots, dashes and underscores, at most 64',
    ),
  layerInput: (part: string, issues: readonly { path: readonly (string | number)[]; reason: string }[]) =>
    new JexoError(
      'layer-invalid',
      `a layer changed the input of ${part} to a value that its schema refuses (${issues
        .slice(0, 5)
        .map(({ path, reason }) => `${path.join('.') || 'input'}: ${reason}`)
        .join('; ')})`,
      'change the layer',
    ),
  layerReturnedNothing: (name: string) =>
    new JexoError(
      'layer-invalid',
      `the layer "${name}" returned undefined, although the part returned a value`,
      'add "return" before next()',
    ),
  layerLate: (name: string, part: string) =>
    new JexoError(
      'layer-invalid',
      `the layer "${name}" called next() for ${part} after the call was over`,
      'call it before the layer returns',
    ),
  argumentUnreadable: (given: string, wanted: string) =>
    new JexoError('argument-unreadable', `${given} is not valid`, `expected ${wanted}`),
}
