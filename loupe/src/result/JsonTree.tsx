import { Button } from '@mantine/core'
import { useDeferredValue, useMemo, useState } from 'react'
import { type Found, findIn, type Path, pathKey } from './tree'

const itemsAtOnce = 100
const charactersAtOnce = 2000

interface Props {
  value: unknown
  search: string
}

/** A value as a tree. Only open nodes are rendered, so that its size does not matter. */
export default function JsonTree({ value, search }: Props) {
  const wanted = useDeferredValue(search.trim())
  const found = useMemo(() => (wanted === '' ? undefined : findIn(value, wanted)), [value, wanted])
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard
    <section className="tree" tabIndex={0} aria-label="Tree">
      {found && (
        <p className="tree-found">
          {found.matches.size === 0
            ? `Nothing found${found.isCut ? ' in the first three million places' : ''}.`
            : `${found.isCut ? 'The first ' : ''}${found.matches.size} found`}
        </p>
      )}
      <Node key={wanted} name={undefined} value={value} path={[]} found={found} />
    </section>
  )
}

interface NodeProps {
  name: string | undefined
  value: unknown
  path: Path
  found: Found | undefined
}

function Node({ name, value, path, found }: NodeProps) {
  const key = pathKey(path)
  const isLeaf = typeof value !== 'object' || value === null
  const [isOpen, setOpen] = useState(isOpenAtFirst(value, path) || found?.leads.has(key) === true)
  const [shown, setShown] = useState(itemsAtOnce)
  const isMatch = found?.matches.has(key) === true
  const label = name === undefined ? '' : `${name}: `
  if (isLeaf) {
    return (
      <div className="node" data-match={isMatch || undefined}>
        <span className="json-key">{label}</span>
        <Leaf value={value} />
      </div>
    )
  }
  const keys = Object.keys(value)
  const size = Array.isArray(value) ? `[${keys.length}]` : `{${keys.length}}`
  const listed = isOpen ? listedOf(keys, shown, found?.leads.get(key)) : []
  return (
    <div className="node" data-match={isMatch || undefined}>
      <button type="button" className="node-head" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        <span className="twig">{isOpen ? '▾' : '▸'}</span>
        <span className="json-key">{label}</span>
        <span className="node-size">{size}</span>
      </button>
      {isOpen && (
        <div className="branch">
          {listed.map((child) => (
            <Node
              key={child}
              name={child}
              value={(value as Record<string, unknown>)[child]}
              path={[...path, child]}
              found={found}
            />
          ))}
          {keys.length > shown && (
            <Button size="compact-xs" variant="subtle" onClick={() => setShown(shown + itemsAtOnce * 5)}>
              {(keys.length - shown).toLocaleString('en')} more
            </Button>
          )}
        </div>
      )}
    </div>
  )
}

/** Small values are open from the start. */
const isOpenAtFirst = (value: unknown, path: Path) =>
  path.length < 1 ||
  (path.length < 5 && typeof value === 'object' && value !== null && Object.keys(value).length <= 8)

/** The first nodes of a long list, and every match of a search however far down. */
function listedOf(keys: readonly string[], most: number, leads: ReadonlySet<string> | undefined): string[] {
  const first = keys.slice(0, most)
  const further = leads ? [...leads].filter((key) => !first.includes(key)) : []
  return [...first, ...further]
}

function Leaf({ value }: { value: unknown }) {
  const [shown, setShown] = useState(charactersAtOnce)
  if (typeof value !== 'string') return <span className="json-number">{String(value)}</span>
  return (
    <span className="json-string">
      {JSON.stringify(value.slice(0, shown))}
      {value.length > shown && (
        <Button size="compact-xs" variant="subtle" onClick={() => setShown(shown * 10)}>
          … {(value.length - shown).toLocaleString('en')} characters more
        </Button>
      )}
    </span>
  )
}
