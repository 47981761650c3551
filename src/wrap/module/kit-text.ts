import { keyText, literal, textLiteral } from '../../escape/typescript.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { KitSection, Names } from '../kit-writer/kit-section.js'
import type { Conversion, Definitions } from './conversion.js'
import { argumentNames, formNames, type ModulePlan, type PlannedTool } from './plan.js'
import type { CallForm } from './reading.js'
import { isNullable, scalars, simpleInto, simpleOut } from './simple-conversions.js'
import { accessText, constName, instanceName, isFree, moduleName } from './variable-names.js'

export interface ModuleSectionOptions {
  /** Name of the kit or the module, such as `colony`. */
  name: string
  /** Import specifier of the module in the kit file: `./colony.ts`, or the name of a package. */
  specifier: string
  /** Variable names that are in use. */
  names: Names
}

/** The section of a kit file for a module: editable tools with their schemas, so that no compiler is needed at run time. */
export function moduleSection(plan: ModulePlan, { name, specifier, names }: ModuleSectionOptions): KitSection {
  const module = names.take(moduleName(name))
  const classes = [...new Set(plan.tools.flatMap(({ instanceOf }) => instanceOf ?? []))]
  const instances = new Map(classes.map((className) => [className, names.take(instanceName(className))]))
  const writer = new ToolWriter(module, instances)
  const variables = plan.tools.map((tool) => names.take(constName(tool)))
  const tools = plan.tools.map((tool, at) => writer.write(tool, variables[at] ?? constName(tool)))
  const shareds = [...instances].map(
    ([className, instance]) =>
      `const ${instance} = shared(() => new ${module}${accessText(exportOf(plan, className))}())\n`,
  )
  return {
    imports: [
      { from: 'jexo', names: [...writer.imports, ...(classes.length > 0 ? ['shared'] : []), 'tool'] },
      ...(writer.helpers.size > 0 ? [{ from: 'jexo/module', names: [...writer.helpers] }] : []),
      {
        from: specifier,
        namespace: module,
        ...(plan.isUntyped ? { remark: '// @ts-ignore It has no declarations.' } : {}),
      },
    ],
    body: [...shareds, shareds.length > 0 ? '\n' : '', tools.join('\n\n')].join(''),
    parts: variables,
  }
}

/** Export name of a class; `default` for the default export. */
const exportOf = (plan: ModulePlan, className: string) =>
  plan.tools.find(({ instanceOf }) => instanceOf === className)?.path[0] ?? className

/** Writes tools, and collects the imports that they need. */
class ToolWriter {
  readonly imports = new Set<string>()
  readonly helpers = new Set<string>()
  readonly #module: string
  /** Variables that hold instances of classes. */
  readonly #instances: ReadonlyMap<string, string>

  constructor(module: string, instances: ReadonlyMap<string, string>) {
    this.#module = module
    this.#instances = instances
  }

  write(tool: PlannedTool, variable: string): string {
    const { name, title, about, effect, isEffectGuessed, tags, examples, input, result } = tool
    if (result.form === 'nothing') this.imports.add('noOutput')
    const isEmpty = Object.keys(input.properties ?? {}).length === 0
    const fields = [
      ...(title === undefined ? [] : [`title: ${textLiteral(title)}`]),
      `about: ${textLiteral(about)}`,
      ...(isEmpty ? [] : [`input: ${literal(input, 2, 7)}`]),
      ...(result.form === 'nothing' ? ['output: noOutput'] : []),
      ...(result.schema ? [`output: ${literal(result.schema, 2, 8)}`] : []),
      `effect: '${effect}'`,
      ...(tags.length > 0 ? [`tags: ${literal(tags, 2)}`] : []),
      ...(examples.length > 0 ? [`examples: ${literal(examples, 2, 10)}`] : []),
    ]
    const lines = fields.map((field) => {
      const remark = isEffectGuessed && field.startsWith('effect:') ? ' // guessed' : ''
      return `  ${field},${remark}\n`
    })
    return `const ${variable} = tool(${textLiteral(name)}, {\n${lines.join('')}  ${this.#run(tool)},\n})`
  }

  #run(tool: PlannedTool): string {
    const { parameters, instanceOf, result, showsErrors } = tool
    if (tool.isLooselyTyped) return this.#overloadedRun(tool)
    const names = argumentNames(tool.parameters)
    const usesCall =
      instanceOf !== undefined ||
      result.isStream ||
      parameters.some(({ kind }) => kind === 'signal' || kind === 'progress') ||
      parameters.some(hasExtras)
    const given = names.every((name) => isFree(name, this.#module)) ? `{ ${names.join(', ')} }` : 'given'
    const heads = [...(names.length > 0 ? [given] : usesCall ? ['_'] : []), ...(usesCall ? ['call'] : [])].join(
      ', ',
    )
    const asked = this.#called(tool, given === 'given')
    const isWaiting = result.isLater || instanceOf !== undefined
    const steps = result.isStream
      ? gatheringSteps(asked)
      : this.#steps(tool, `${result.isLater ? 'await ' : ''}${asked}`)
    if (steps.length === 1 && !showsErrors) {
      const [step = ''] = steps
      const value = step.replace(/^return /, '')
      // A promise can be returned directly.
      const bare = value === `await ${asked}` && instanceOf === undefined
      const body = bare ? asked : value.startsWith('{') ? `(${value})` : value
      return `run: ${isWaiting && !bare ? 'async ' : ''}(${heads}) => ${body}`
    }
    const all = result.isStream ? [...steps, ...this.#steps(tool, 'items')] : steps
    return `${isWaiting || result.isStream ? 'async ' : ''}run(${heads}) {\n${block(showsErrors ? this.#guarded(all) : all, 4)}  }`
  }

  /** The compiler would accept only one overload, so the arguments are collected in a list and spread. */
  #overloadedRun(tool: PlannedTool): string {
    const { path, parameters, forms = [{ parameters, required: [] }], instanceOf, result } = tool
    this.helpers.add('withoutMissing')
    const steps = instanceOf === undefined ? path : path.slice(-1)
    const owner = instanceOf === undefined ? this.#module : 'owner'
    const self = instanceOf !== undefined ? 'owner' : path.length > 1 ? ownerText(owner, path) : 'undefined'
    const lists = forms.map(
      (form) => `[${this.#argumentTexts({ ...tool, parameters: form.parameters }, true).join(', ')}]`,
    )
    const chosen =
      forms.length === 1
        ? lists
        : [
            ...forms.map((form, at) => `${conditionOf(form, forms) || 'true'}\n    ? ${lists[at]}\n    : `),
            'undefined',
          ]
    if (forms.length > 1) this.imports.add('Refusal')
    const message = textLiteral(`These arguments do not go together. Pass ${formNames(forms)}.`)
    const call = `Reflect.apply(${owner}${steps.map(accessText).join('')}, ${self}, withoutMissing(args))`
    const usesCall = instanceOf !== undefined || result.isStream || /\bcall\./.test(lists.join())
    const body = [
      ...(instanceOf === undefined ? [] : [`const owner = await call.use(${this.#instances.get(instanceOf)})`]),
      `const args: unknown[]${forms.length > 1 ? ' | undefined' : ''} = ${chosen.join('')}`,
      ...(forms.length > 1 ? [`if (!args) throw new Refusal(${message})`] : []),
      ...(result.isStream
        ? [...gatheringSteps(call), ...this.#steps(tool, 'items')]
        : this.#steps(tool, `${result.isLater ? 'await ' : ''}${call}`)),
    ]
    const isWaiting = result.isLater || result.isStream || instanceOf !== undefined
    const heads = ['given', ...(usesCall ? ['call'] : [])].join(', ')
    return `${isWaiting ? 'async ' : ''}run(${heads}) {\n${block(tool.showsErrors ? this.#guarded(body) : body, 4)}  }`
  }

  /** Statements that convert the result of a function to the result of the tool. */
  #steps({ result, isLooselyTyped }: PlannedTool, value: string): string[] {
    const { form, conversion, definitions, schema = {} } = result
    const shape =
      form === 'value' ? ((schema.properties as Record<string, JsonSchema> | undefined)?.value ?? {}) : schema
    const shown = (converted: string) =>
      form === 'value' ? (converted === 'value' ? '{ value }' : `{ value: ${converted} }`) : converted
    // Tuple elements and referenced schemas are typed more loosely for the compiler than in the source.
    const isRough = !isLooselyTyped && /"(prefixItems|\$ref)":/.test(JSON.stringify(schema))
    if (conversion === null) return [`return ${shown(isRough ? `${value} as never` : value)}`]
    const isMissing = form === 'value' && !(schema.required as readonly string[] | undefined)?.includes('value')
    const isScalar = scalars.has(conversion.as) && !isMissing && !isNullable(shape)
    if (isScalar) return [`return ${shown(simpleOut(value, conversion, shape) ?? value)}`]
    const name = value === 'items' ? 'items' : 'result'
    const first = value === name ? [] : [`const ${name} = ${value}`]
    // For untyped values, the compiler does not know the type of items.
    const simple = isLooselyTyped ? undefined : simpleOut(name, conversion, shape)
    const converted = simple === undefined ? this.#helped('toJson', name, conversion, definitions) : simple
    return [...first, `return ${shown(isMissing ? `${name} === undefined ? undefined : ${converted}` : converted)}`]
  }

  #guarded(steps: readonly string[]): string[] {
    this.imports.add('Refusal')
    return [
      'try {',
      ...steps.flatMap((step) => step.split('\n')).map((line) => `  ${line}`),
      '} catch (error) {',
      '  throw new Refusal(error instanceof Error ? error.message : String(error))',
      '}',
    ]
  }

  #called(tool: PlannedTool, isGiven: boolean): string {
    const { path, instanceOf } = tool
    const owner = instanceOf === undefined ? this.#module : `(await call.use(${this.#instances.get(instanceOf)}))`
    const steps = instanceOf === undefined ? path : path.slice(-1)
    return `${owner}${steps.map(accessText).join('')}(${this.#argumentTexts(tool, isGiven).join(', ')})`
  }

  #argumentTexts(tool: PlannedTool, isGiven: boolean): string[] {
    const { path, instanceOf, parameters, input, inputDefinitions, isLooselyTyped } = tool
    const required = (input.required ?? []) as readonly string[]
    const shapeOf = (name: string) => (input.properties as Record<string, JsonSchema>)[name] ?? {}
    const of = (name: string) => (isGiven ? `given[${textLiteral(name)}]` : name)
    const steps = instanceOf === undefined ? path : path.slice(-1)
    const callee = `${this.#module}${steps.map(accessText).join('')}`
    return withoutLastAbsent(parameters).map((parameter, at): string => {
      if (parameter.kind === 'absent') return 'undefined'
      if (parameter.kind === 'signal') return 'call.signal'
      if (parameter.kind === 'progress') return 'call.progress'
      if (parameter.kind !== 'object') {
        const { name, conversion, kind } = parameter
        const type = `Parameters<typeof ${callee}>[${at}]`
        if (kind === 'rest') {
          const list = this.#into(`(${of(name)} ?? [])`, conversion, shapeOf(name), true, inputDefinitions)
          return `...${isLooselyTyped ? `(${list} as unknown[])` : parameter.isNarrower ? `(${list} as never[])` : list}`
        }
        const value = this.#into(of(name), conversion, shapeOf(name), required.includes(name), inputDefinitions)
        const filled = [
          ...(parameter.signal === undefined ? [] : [`${keyText(parameter.signal)}: call.signal`]),
          ...(parameter.progress === undefined ? [] : [`${keyText(parameter.progress)}: call.progress`]),
        ]
        if (filled.length > 0)
          return `{ ...${/^[\w.[\]'"]+$/.test(value) ? value : `(${value})`}, ${filled.join(', ')} }`
        return parameter.isNarrower && conversion === null && instanceOf === undefined
          ? `${value} as ${type}`
          : value
      }
      const properties = parameter.properties.map(({ name, conversion, isNarrower }) => {
        const value = this.#into(of(name), conversion, shapeOf(name), required.includes(name), inputDefinitions)
        const cast = isNarrower && conversion === null ? `${value} as never` : value
        return cast === name ? name : `${keyText(name)}: ${cast}`
      })
      if (parameter.signal !== undefined) properties.push(`${keyText(parameter.signal)}: call.signal`)
      if (parameter.progress !== undefined) properties.push(`${keyText(parameter.progress)}: call.progress`)
      return `{ ${properties.join(', ')} }`
    })
  }

  /** The expression that converts an input value to the function's argument. */
  #into(
    value: string,
    conversion: Conversion | null,
    shape: JsonSchema,
    isThere: boolean,
    definitions: Definitions,
  ): string {
    if (conversion === null) return value
    const simple = simpleInto(value, conversion, shape)
    if (simple === undefined) return this.#helped('fromJson', value, conversion, definitions)
    return isThere ? simple : `${value} === undefined ? undefined : ${simple}`
  }

  /** Deeply nested conversions use a helper. */
  #helped(helper: 'fromJson' | 'toJson', value: string, conversion: Conversion, definitions: Definitions): string {
    this.helpers.add(helper)
    const written =
      literal(conversion, 0, 60) + (/"as":"union"/.test(JSON.stringify(conversion)) ? ' as never' : '')
    return `${helper}(${value}, ${written}${definitionsText(conversion, definitions)}) as never`
  }
}

const block = (steps: readonly string[], indent: number) =>
  steps
    .map(
      (step) =>
        `${step
          .split('\n')
          .map((line) => ' '.repeat(indent) + line)
          .join('\n')}\n`,
    )
    .join('')

const gatheringSteps = (asked: string) => [
  'const items = []',
  `for await (const item of ${asked}) {\n  items.push(item)\n  call.progress(items.length)\n}`,
]

/** The condition that selects an overload: its required arguments are present, and arguments of other overloads are absent. */
function conditionOf({ parameters, required }: CallForm, forms: readonly CallForm[]): string {
  const own = argumentNames(parameters)
  const foreign = [...new Set(forms.flatMap((form) => argumentNames(form.parameters)))].filter(
    (name) => !own.includes(name),
  )
  const given = (name: string) => `given[${textLiteral(name)}]`
  return [
    ...required.map((name) => `${given(name)} !== undefined`),
    ...foreign.map((name) => `${given(name)} === undefined`),
  ].join(' && ')
}

const ownerText = (module: string, path: readonly string[]) =>
  `${module}${path.slice(0, -1).map(accessText).join('')}`

/** Arguments after the last given one are omitted. */
function withoutLastAbsent(parameters: PlannedTool['parameters']): PlannedTool['parameters'] {
  const last = parameters.findLastIndex(({ kind }) => kind !== 'absent')
  return parameters.slice(0, last + 1)
}

const hasExtras = (parameter: PlannedTool['parameters'][number]) =>
  (parameter.kind === 'object' || parameter.kind === 'value') &&
  (parameter.signal !== undefined || parameter.progress !== undefined)

/** Definitions are included only if the conversion refers to them. */
const definitionsText = (conversion: Conversion, definitions: Definitions) =>
  /"as":"(ref|union)"/.test(JSON.stringify(conversion)) ? `, ${literal(definitions, 0, 60)} as never` : ''
