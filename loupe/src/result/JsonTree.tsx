import { Button } from '@mantine/core'
import { useDeferredValue, useMemo, useState } from 'react'
import { type Found, findIn, type Path, pathKey } from './tree'

const itemsAtOnce = 100
const charactersAtOnce = 2000

interface Props {
  value: unknown
  search: string
}

/** A value as a tree: only what is open is there, so that its size does not matter. */
export default function JsonTree({ value, search }: Props) {
  const wanted = useDeferredValue(search.trim())
  const found = useMemo(() => (wanted === '' ? undefined : findIn(value, wanted)), [value, wanted])
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard
    <section className="tree" tabIndex={0} aria-label="Tree">
      {found && (
        <p className="tree-found">
          {found.matches.size === 0
            ? 'Nothing found.'
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
  const [isOpen, setOpen] = useState(path.length < 2 || found?.open.has(key) === true)
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
  const items = Object.entries(value as object)
  const isList = Array.isArray(value)
  const size = isList ? `[${items.length}]` : `{${items.length}}`
  // What a search has found is shown however far down the list it is.
  const listed = found
    ? items.filter(([child], at) => at < shown || isWanted(found, [...path, child]))
    : items.slice(0, shown)
  return (
    <div className="node" data-match={isMatch || undefined}>
      <button type="button" className="node-head" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        <span className="twig">{isOpen ? '▾' : '▸'}</span>
        <span className="json-key">{label}</span>
        <span className="node-size">{size}</span>
      </button>
      {isOpen && (
        <div className="branch">
          {listed.map(([child, item]) => (
            <Node key={child} name={child} value={item} path={[...path, child]} found={found} />
          ))}
          {items.length > shown && (
            <Button size="compact-xs" variant="subtle" onClick={() => setShown(shown + itemsAtOnce * 5)}>
              {(items.length - shown).toLocaleString('en')} more
            </Button>
          )}
        </div>
      )}
    </div>
  )
}

const isWanted = (found: Found, path: Path) => found.open.has(pathKey(path)) || found.matches.has(pathKey(path))

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
