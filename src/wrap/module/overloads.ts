import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import { docsOf } from './docs.js'
import { Unfit } from './known-types.js'
import type { CallForm, FunctionReading, Parameter, Result } from './reading.js'
import { withRepeatedDefined } from './repeated.js'
import { type Shape, unionOf } from './shapes.js'
import { type Argument, type Place, readParameters, readResult } from './signature.js'
import { TypeReader } from './types.js'

/** Maximum number of overloads that are read. */
const maxOverloads = 16

/** One signature of a function, with its arguments. */
interface Form {
  readonly parameters: readonly Parameter[]
  readonly args: readonly Argument[]
  readonly omitted: readonly string[]
  readonly result: Result
}
type Reading = Pick<
  FunctionReading,
  'parameters' | 'forms' | 'isLooselyTyped' | 'input' | 'inputDefinitions' | 'omitted' | 'result'
>
/** Why a signature cannot be a tool, and the location of the problem. */
export interface UnfitSignature {
  readonly what: 'parameter' | 'its result'
  readonly unfit: Unfit
}

/** The signatures of a function as one tool: its arguments are those of all overloads, and its result that of any. */
export function readSignatures(place: Place, signatures: readonly ts.Signature[]): Reading | UnfitSignature {
  const { compiler, checker, node } = place
  const inward = new TypeReader(compiler, checker, 'in', node)
  const outward = new TypeReader(compiler, checker, 'out', node)
  const forms: Form[] = []
  const unfit: UnfitSignature[] = []
  for (const signature of signatures.slice(0, maxOverloads)) {
    const docs = signatures.length > 1 ? docsOf(compiler, checker, signature) : place.docs
    const read = readForm({ ...place, docs }, signature, inward, outward)
    if ('unfit' in read) unfit.push(read)
    else forms.push(read)
  }
  const [first] = forms
  if (!first) return unfit[0] as UnfitSignature
  const groups = reachable(groupsOf(forms.filter(({ result }) => result.isStream === first.result.isStream)))
  const [main = first] = groups
  const notes = [...new Set(groups.flatMap(({ omitted }) => omitted))]
  const left = signatures.length - forms.filter(({ result }) => result.isStream === first.result.isStream).length
  const isGeneric = signatures.some(({ typeParameters = [] }) => typeParameters.length > 0)
  const input = withRepeatedDefined(inputOf(groups, inward.definitions.schemas), (json) => inward.typeNameOf(json))
  return {
    parameters: main.parameters.map((parameter) => referring(parameter, input)),
    ...(groups.length > 1 ? { forms: groups.map(formOf) } : {}),
    ...(forms.length > 1 || isGeneric ? { isLooselyTyped: true } : {}),
    input,
    inputDefinitions: inward.definitions,
    omitted: left > 0 ? [...notes, leftText(left, signatures.length, unfit)] : notes,
    result: resultOf(
      groups.map(({ result }) => result),
      outward,
    ),
  }
}

function readForm(
  place: Place,
  signature: ts.Signature,
  inward: TypeReader,
  outward: TypeReader,
): Form | UnfitSignature {
  let what: UnfitSignature['what'] = 'parameter'
  try {
    const given = readParameters(place, signature, inward)
    what = 'its result'
    return { ...given, result: readResult(place, signature, outward) }
  } catch (error) {
    if (error instanceof Unfit) return { what, unfit: error }
    throw error
  }
}

/** Inserts referenced schemas, which the compiler cannot follow in a written kit. */
function referring(parameter: Parameter, input: JsonSchema): Parameter {
  const properties = input.properties as Record<string, JsonSchema>
  const refers = (name: string) => JSON.stringify(properties[name] ?? {}).includes('"$ref"')
  if (parameter.kind === 'object')
    return {
      ...parameter,
      properties: parameter.properties.map((one) => (refers(one.name) ? { ...one, isNarrower: true } : one)),
    }
  const isReferring = (parameter.kind === 'value' || parameter.kind === 'rest') && refers(parameter.name)
  return isReferring ? { ...parameter, isNarrower: true } : parameter
}

const leftText = (left: number, of: number, unfit: readonly UnfitSignature[]): string => {
  const [first] = unfit
  const reason = first ? `: ${[first.what, ...first.unfit.path].join(' ')}: ${first.unfit.message}` : ''
  return `arguments of ${left} of its ${of} overloads${reason}`
}

/** Overloads whose arguments extend each other are merged; the others stay separate. */
function groupsOf(forms: readonly Form[]): Form[] {
  const groups: Form[] = []
  for (const form of forms) {
    const at = groups.findIndex((group) => continues(group, form))
    const group = groups[at]
    if (group) groups[at] = merged(group, form)
    else groups.push(form)
  }
  return groups
}

/** Without overloads that could never be called, since an earlier one has the same argument names. */
function reachable(groups: readonly Form[]): Form[] {
  const namesOf = ({ args }: Form) =>
    args
      .map(({ name }) => name)
      .sort()
      .join()
  const needs = ({ args }: Form) => args.filter(({ isRequired }) => isRequired).length
  return groups.filter(
    (group, at) =>
      !groups.slice(0, at).some((earlier) => namesOf(earlier) === namesOf(group) && needs(earlier) <= needs(group)),
  )
}

const keyOf = (parameter: Parameter): string =>
  parameter.kind === 'value' || parameter.kind === 'rest'
    ? `${parameter.kind} ${parameter.name}`
    : JSON.stringify(parameter)

function continues(a: Form, b: Form): boolean {
  const [shorter, longer] = a.parameters.length <= b.parameters.length ? [a, b] : [b, a]
  return shorter.parameters.every((parameter, at) => keyOf(parameter) === keyOf(longer.parameters[at] as Parameter))
}

function merged(a: Form, b: Form): Form {
  const [shorter, longer] = a.parameters.length <= b.parameters.length ? [a, b] : [b, a]
  const args = longer.args.map((arg): Argument => {
    const other = shorter.args.find(({ name }) => name === arg.name)
    if (!other) return { ...arg, isRequired: false }
    return {
      name: arg.name,
      shape: anyShape([a, b].map((form) => shapeOf(form, arg.name))),
      isRequired: arg.isRequired && other.isRequired,
    }
  })
  const parameters = longer.parameters.map((parameter): Parameter => {
    if (parameter.kind !== 'value' && parameter.kind !== 'rest') return parameter
    const arg = args.find(({ name }) => name === parameter.name)
    return { ...parameter, conversion: arg?.shape.conversion ?? null }
  })
  const results = [a.result, b.result]
  return {
    parameters,
    args,
    omitted: [...a.omitted, ...b.omitted],
    result: isSame(results) ? a.result : mergedResult(results),
  }
}

const shapeOf = ({ args }: Form, wanted: string): Shape =>
  args.find(({ name }) => name === wanted)?.shape ?? { schema: {}, conversion: null }

/** A union of shapes, with the description of the first. */
function anyShape(shapes: readonly Shape[]): Shape {
  const described = shapes.find(({ schema }) => schema.description !== undefined)?.schema.description
  const distinct: Shape[] = []
  for (const { schema, conversion } of shapes) {
    const { description: _, ...bare } = schema
    const branches =
      Object.keys(bare).join() === 'anyOf' && conversion === null ? (bare.anyOf as JsonSchema[]) : [bare]
    for (const branch of branches) {
      const shape = { schema: branch, conversion }
      if (!distinct.some((known) => JSON.stringify(known) === JSON.stringify(shape))) distinct.push(shape)
    }
  }
  const isAnything = distinct.some(
    ({ schema, conversion }) => Object.keys(schema).length === 0 && conversion === null,
  )
  const whole: Shape = isAnything ? { schema: {}, conversion: null } : unionOf(distinct)
  return described === undefined ? whole : { ...whole, schema: { ...whole.schema, description: described } }
}

function inputOf(groups: readonly Form[], schemas: Readonly<Record<string, JsonSchema>> | undefined): JsonSchema {
  const names = [...new Set(groups.flatMap(({ args }) => args.map(({ name }) => name)))]
  const shapes = names.map((wanted) => {
    const found = groups.flatMap(({ args }) => args.filter(({ name }) => name === wanted))
    const [only] = found
    return [
      wanted,
      only && found.length === 1 ? only.shape.schema : anyShape(found.map(({ shape }) => shape)).schema,
    ] as const
  })
  const required = names.filter((wanted) =>
    groups.every(({ args }) => args.some(({ name, isRequired }) => name === wanted && isRequired)),
  )
  return {
    type: 'object',
    properties: Object.fromEntries(shapes),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
    ...(schemas ? { $defs: schemas } : {}),
  }
}

const formOf = ({ parameters, args }: Form): CallForm => ({
  parameters,
  required: args.filter(({ isRequired }) => isRequired).map(({ name }) => name),
})

const isSame = (results: readonly Result[]): boolean =>
  new Set(
    results.map(({ form, schema, conversion }) => JSON.stringify([form, withoutDescription(schema), conversion])),
  ).size === 1

const withoutDescription = (schema: JsonSchema = {}): JsonSchema => {
  const { description: _, $defs: _defs, ...bare } = schema
  return bare
}

function resultOf(results: readonly Result[], outward: TypeReader): Result {
  const [first] = results as [Result]
  const whole = isSame(results) ? first : mergedResult(results)
  const { schemas } = outward.definitions
  const schema = whole.schema && {
    ...whole.schema,
    ...(schemas ? { $defs: schemas } : {}),
  }
  return {
    ...whole,
    ...(schema ? { schema: withRepeatedDefined(schema, (json) => outward.typeNameOf(json)) } : {}),
    definitions: whole.form === 'any' ? {} : outward.definitions,
  }
}

/** The result of several overloads: an object if all return objects, otherwise a value. */
function mergedResult(results: readonly Result[]): Result {
  const [first] = results as [Result]
  const isLater = results.some((result) => result.isLater)
  const about = results.find((result) => result.about !== undefined)?.about
  const common = { definitions: {}, isLater, isStream: first.isStream, ...(about === undefined ? {} : { about }) }
  if (results.some(({ form }) => form === 'any')) return { form: 'any', conversion: null, ...common }
  const isMissing = results.some(
    ({ form, schema }) => form === 'nothing' || (form === 'value' && schema?.required === undefined),
  )
  const shapes = results
    .filter(({ form }) => form !== 'nothing')
    .map(({ form, schema = {}, conversion }): Shape => {
      const bare = withoutDescription(schema)
      return {
        schema: form === 'object' ? bare : ((bare.properties as Record<string, JsonSchema>).value ?? {}),
        conversion,
      }
    })
  const whole = anyShape(shapes)
  if (!isMissing && results.every(({ form }) => form === 'object'))
    return { form: 'object', schema: { type: 'object', ...whole.schema }, conversion: whole.conversion, ...common }
  const schema: JsonSchema = {
    type: 'object',
    properties: { value: whole.schema },
    ...(isMissing ? {} : { required: ['value'] }),
  }
  return { form: 'value', schema, conversion: whole.conversion, ...common }
}
