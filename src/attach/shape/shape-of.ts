import { jsonShape } from './json.js'
import type { Shape, ShapeName } from './shape.js'
import { tomlShape } from './toml.js'
import { yamlShape } from './yaml.js'

const shapes: Readonly<Record<ShapeName, Shape>> = {
  mcpServers: jsonShape('mcpServers'),
  servers: jsonShape('servers'),
  toml: tomlShape,
  yaml: yamlShape,
}

/** The shape that was asked for, else that of the file by its name, else by what is in it. */
export function shapeOf(file: string, text: string, asked?: ShapeName): Shape {
  return shapes[asked ?? guess(file, text)]
}

function guess(file: string, text: string): ShapeName {
  if (/\.toml$/i.test(file)) return 'toml'
  if (/\.ya?ml$/i.test(file)) return 'yaml'
  if (/\.jsonc?$/i.test(file) || /^\s*(\/[/*]|\{|$)/.test(text)) return 'mcpServers'
  return /^\s*\[[\w".-]+\]\s*$|^\s*[\w-]+\s*=/m.test(text) ? 'toml' : 'yaml'
}
