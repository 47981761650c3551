import { dirname, join, normalize, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type ts from 'typescript'

type Compiler = typeof ts

/** References of a module to files next to it, and to its own location. */
export interface ModulePaths {
  /** Files and folders that it names relative to itself. */
  readonly named: readonly { path: string; line: number }[]
  /** Paths that begin with the module's folder and end with a value known only at run time. */
  readonly open: readonly { text: string; line: number }[]
  /** Expressions for the module's location, such as `import.meta.url` and `__dirname`. */
  readonly own: readonly { from: number; to: number; what: 'url' | 'filename' | 'dirname'; isShorthand: boolean }[]
}

/** Value of a constant expression; undefined if it cannot be determined statically. */
interface Value {
  text: string
  isUrl?: boolean
  /** True if it is relative to the module's location. */
  isOwn?: boolean
}

/** Modules that contain none of these do not name files relative to themselves. */
export const mayNamePaths = (source: string): boolean => source.search(ownPlaces) >= 0

const ownPlaces = /import\.meta\.|__dirname|__filename/g

/** Finds references to files: `new URL('./a', import.meta.url)`, `join(__dirname, 'a')`, and expressions with such constants. */
export function pathsIn(compiler: Compiler, file: string, source: string): ModulePaths {
  const tree = compiler.createSourceFile(file, source, compiler.ScriptTarget.Latest, true)
  return new PathReader(compiler, file, tree).read()
}

class PathReader {
  readonly #named: { path: string; line: number }[] = []
  readonly #open: { text: string; line: number }[] = []
  readonly #own: { from: number; to: number; what: 'url' | 'filename' | 'dirname'; isShorthand: boolean }[] = []
  /** Constants by name; undefined if a name is ambiguous. */
  readonly #constants = new Map<string, ts.Expression | undefined>()
  readonly #reading = new Set<ts.Node>()
  readonly #values = new Map<ts.Node, Value | undefined>()
  /** Positions of expressions for the module's location, and of constants derived from them. */
  readonly #places: number[] = []
  readonly #folder: string

  constructor(
    private readonly compiler: Compiler,
    private readonly file: string,
    private readonly tree: ts.SourceFile,
  ) {
    this.#folder = dirname(file)
  }

  read(): ModulePaths {
    this.#gather(this.tree)
    this.#findPlaces()
    this.#visit(this.tree)
    return { named: this.#named, open: this.#open, own: this.#own }
  }

  #gather(node: ts.Node): void {
    const { compiler } = this
    if (compiler.isVariableDeclaration(node) && compiler.isIdentifier(node.name)) {
      const name = node.name.text
      this.#constants.set(name, this.#constants.has(name) ? undefined : node.initializer)
    } else if (
      (compiler.isParameter(node) || compiler.isBindingElement(node)) &&
      compiler.isIdentifier(node.name)
    ) {
      this.#constants.set(node.name.text, undefined)
    } else if (
      compiler.isBinaryExpression(node) &&
      node.operatorToken.kind === compiler.SyntaxKind.EqualsToken &&
      compiler.isIdentifier(node.left)
    ) {
      this.#constants.set(node.left.text, undefined)
    }
    compiler.forEachChild(node, (child) => this.#gather(child))
  }

  /** Most code of a large module does not use its location, and is skipped. */
  #findPlaces(): void {
    const { text } = this.tree
    const followed = new Set<string>()
    for (let pattern: RegExp | undefined = ownPlaces; pattern; ) {
      for (const { index } of text.matchAll(pattern)) this.#places.push(index)
      this.#places.sort((one, other) => one - other)
      const names = [...this.#constants.keys()].filter(
        (name) =>
          !followed.has(name) &&
          this.#hasPlace(this.#constants.get(name)) &&
          this.#value(this.#constants.get(name))?.isOwn,
      )
      for (const name of names) followed.add(name)
      pattern = names.length > 0 ? anyOfNames(names) : undefined
    }
  }

  #hasPlace(node: ts.Node | undefined): boolean {
    if (!node) return false
    let [from, to] = [0, this.#places.length]
    while (from < to) {
      const middle = (from + to) >> 1
      if ((this.#places[middle] as number) < node.pos) from = middle + 1
      else to = middle
    }
    return (this.#places[from] ?? Number.POSITIVE_INFINITY) < node.end
  }

  #visit(node: ts.Node): void {
    if (!this.#hasPlace(node)) return
    const { compiler } = this
    const what = this.#ownPlace(node)
    const isShorthand = compiler.isShorthandPropertyAssignment(node.parent ?? node)
    if (what) this.#own.push({ from: node.getStart(), to: node.getEnd(), what, isShorthand })
    if (compiler.isExpression(node) && this.#isWhole(node)) this.#note(node)
    compiler.forEachChild(node, (child) => this.#visit(child))
  }

  /** Not part of a longer constant expression. */
  #isWhole(node: ts.Expression): boolean {
    const value = this.#value(node)
    if (!value?.isOwn) return false
    const { parent } = node
    return !(this.compiler.isExpression(parent) && this.#value(parent)?.isOwn)
  }

  #note(node: ts.Expression): void {
    const value = this.#value(node) as Value
    const { line } = this.tree.getLineAndCharacterOfPosition(node.getStart())
    const path = value.isUrl ? pathOf(value.text) : value.text
    if (path === undefined || path === this.file) return
    const isAbove = `${this.#folder}/`.startsWith(`${path.replace(/\/$/, '')}/`)
    if (!isAbove) this.#named.push({ path, line: line + 1 })
    else if (this.#isBeginning(node)) this.#open.push({ text: node.parent.getText().slice(0, 80), line: line + 1 })
  }

  /** A longer path starts with it: `join(here, name)`, `here + '/' + name`. */
  #isBeginning(node: ts.Expression): boolean {
    const { compiler } = this
    const { parent } = node
    if (compiler.isCallExpression(parent)) return parent.arguments[0] === node
    if (compiler.isTemplateSpan(parent)) return /^[\\/]/.test(parent.literal.text)
    return compiler.isBinaryExpression(parent) && parent.left === node
  }

  #ownPlace(node: ts.Node): 'url' | 'filename' | 'dirname' | undefined {
    const { compiler } = this
    if (compiler.isPropertyAccessExpression(node) && compiler.isMetaProperty(node.expression)) {
      const name = node.name.text
      return name === 'url' || name === 'filename' || name === 'dirname' ? name : undefined
    }
    if (!compiler.isIdentifier(node) || !/^__(file|dir)name$/.test(node.text)) return undefined
    const { parent } = node
    // A property or variable of that name belongs to the author.
    if (this.#constants.has(node.text)) return undefined
    if (compiler.isPropertyAccessExpression(parent) && parent.name === node) return undefined
    if (compiler.isPropertyAssignment(parent) && parent.name === node) return undefined
    return node.text === '__dirname' ? 'dirname' : 'filename'
  }

  #value(node: ts.Expression | undefined): Value | undefined {
    if (node === undefined || this.#reading.has(node)) return undefined
    if (this.#values.has(node)) return this.#values.get(node)
    this.#reading.add(node)
    try {
      const value = this.#read(node)
      this.#values.set(node, value)
      return value
    } finally {
      this.#reading.delete(node)
    }
  }

  #read(node: ts.Expression): Value | undefined {
    const { compiler } = this
    const what = this.#ownPlace(node)
    if (what === 'url') return { text: pathToFileURL(this.file).href, isUrl: true, isOwn: true }
    if (what) return { text: what === 'filename' ? this.file : this.#folder, isOwn: true }
    if (compiler.isStringLiteralLike(node)) return { text: node.text }
    if (
      compiler.isParenthesizedExpression(node) ||
      compiler.isAsExpression(node) ||
      compiler.isNonNullExpression(node)
    )
      return this.#value(node.expression)
    if (compiler.isIdentifier(node)) return this.#value(this.#constants.get(node.text))
    if (compiler.isTemplateExpression(node)) return this.#template(node)
    if (compiler.isBinaryExpression(node)) return this.#sum(node)
    if (compiler.isNewExpression(node)) return this.#url(node)
    if (compiler.isPropertyAccessExpression(node)) return this.#part(node)
    return compiler.isCallExpression(node) ? this.#call(node) : undefined
  }

  #template(node: ts.TemplateExpression): Value | undefined {
    const parts = [{ text: node.head.text } as Value]
    for (const span of node.templateSpans) {
      const value = this.#value(span.expression)
      if (!value) return undefined
      parts.push(value, { text: span.literal.text })
    }
    return together(parts)
  }

  #sum(node: ts.BinaryExpression): Value | undefined {
    const { PlusToken, CommaToken } = this.compiler.SyntaxKind
    if (node.operatorToken.kind === CommaToken) return undefined
    const values = [this.#value(node.left), this.#value(node.right)]
    if (node.operatorToken.kind !== PlusToken) return undefined
    return values.every((value) => value !== undefined) ? together(values as Value[]) : undefined
  }

  #url({ expression, arguments: args = [] as never }: ts.NewExpression): Value | undefined {
    if (!this.compiler.isIdentifier(expression) || expression.text !== 'URL') return undefined
    const [relative, base] = args.map((arg) => this.#value(arg))
    if (!relative || !base?.isUrl || !URL.canParse(relative.text, base.text)) return undefined
    return { text: new URL(relative.text, base.text).href, isUrl: true, isOwn: base.isOwn === true }
  }

  /** `url.pathname`, `url.href`. */
  #part(node: ts.PropertyAccessExpression): Value | undefined {
    if (node.name.text !== 'pathname' && node.name.text !== 'href') return undefined
    const value = this.#value(node.expression)
    if (!value?.isUrl) return undefined
    return node.name.text === 'href' ? value : { text: pathOf(value.text) ?? '', isOwn: value.isOwn === true }
  }

  #call({ expression, arguments: args }: ts.CallExpression): Value | undefined {
    const name = nameOfCalled(this.compiler, expression)
    const values = args.map((arg) => this.#value(arg))
    if (name === undefined || values.length === 0 || values.some((value) => value === undefined)) return undefined
    const [first, ...rest] = values as [Value, ...Value[]]
    const isOwn = first.isOwn === true
    if (name === 'fileURLToPath') return first.isUrl ? { text: pathOf(first.text) ?? '', isOwn } : undefined
    if (first.isUrl) return undefined
    const texts = [first, ...rest].map(({ text }) => text)
    if (name === 'pathToFileURL') return { text: pathToFileURL(first.text).href, isUrl: true, isOwn }
    if (name === 'dirname') return { text: dirname(first.text), isOwn }
    if (name === 'normalize') return { text: normalize(first.text), isOwn }
    if (name === 'join') return { text: join(...texts), isOwn }
    return name === 'resolve' && isOwn ? { text: resolve(...texts), isOwn } : undefined
  }
}

/** Identifiers contain no other character that is special in a pattern. */
const anyOfNames = (names: readonly string[]) =>
  new RegExp(`(?<![\\w$])(?:${names.map((name) => name.replaceAll('$', '\\$')).join('|')})(?![\\w$])`, 'g')

/** The last name of a called function: `join`, `path.join`, and `(0, path_1.join)` as compilers write it. */
function nameOfCalled(compiler: Compiler, node: ts.Expression): string | undefined {
  if (compiler.isIdentifier(node)) return node.text
  if (compiler.isPropertyAccessExpression(node)) return node.name.text
  if (compiler.isParenthesizedExpression(node)) return nameOfCalled(compiler, node.expression)
  return compiler.isBinaryExpression(node) ? nameOfCalled(compiler, node.right) : undefined
}

function together(values: readonly Value[]): Value | undefined {
  const [first, ...rest] = values.filter(({ text }) => text !== '')
  if (rest.some(({ isOwn }) => isOwn)) return undefined
  const text = values.map((value) => value.text).join('')
  return { text, isOwn: first?.isOwn === true, ...(first?.isUrl ? { isUrl: true } : {}) }
}

function pathOf(url: string): string | undefined {
  try {
    return url.startsWith('file:') ? fileURLToPath(url) : undefined
  } catch {
    return undefined
  }
}
