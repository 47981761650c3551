import { hostConfigErrors } from '../errors.js'
import { jsonShape } from './json.js'
import type { Shape, ShapeName } from './shape.js'
import { tomlShape } from './toml.js'
import { yamlShape } from './yaml.js'

/** The requested shape; else the shape that matches the file's name, or its content. */
export function shapeOf(file: string, text: string, asked?: ShapeName): Shape {
  if (text.length > maxCharacters)
    throw hostConfigErrors.configUnreadable(file, `it has more than ${maxCharacters} characters`)
  return shapes[asked ?? guess(file, text)]
}

const maxCharacters = 2_000_000

/** The parser of this shape can exceed the stack on deeply nested text. */
const bounded = (shape: Shape): Shape => ({
  takesInputs: shape.takesInputs,
  read: (file, ...rest) => notTooDeep(file, () => shape.read(file, ...rest)),
  put: (file, ...rest) => notTooDeep(file, () => shape.put(file, ...rest)),
  remove: (file, ...rest) => notTooDeep(file, () => shape.remove(file, ...rest)),
})

function notTooDeep<T>(file: string, run: () => T): T {
  try {
    return run()
  } catch (error) {
    if (error instanceof RangeError) throw hostConfigErrors.configUnreadable(file, 'it is nested too deeply')
    throw error
  }
}

const shapes: Readonly<Record<ShapeName, Shape>> = {
  mcpServers: bounded(jsonShape('mcpServers')),
  servers: bounded(jsonShape('servers')),
  toml: bounded(tomlShape),
  yaml: bounded(yamlShape),
}

function guess(file: string, text: string): ShapeName {
  if (/\.toml$/i.test(file)) return 'toml'
  if (/\.ya?ml$/i.test(file)) return 'yaml'
  if (/\.jsonc?$/i.test(file) || /^\s*(\/[/*]|\{|$)/.test(text)) return 'mcpServers'
  return /^[ \t]*(?:\[[\w".-]+\][ \t]*\r?$|[\w-]+[ \t]*=)/m.test(text) ? 'toml' : 'yaml'
}
