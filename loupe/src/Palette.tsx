import { Modal, TextInput } from '@mantine/core'
import { useMemo, useState } from 'react'
import type { Route } from './bench/route'
import type { Known } from './bench/useBench'
import { allParts, effectLabels } from './desk/parts'

interface Props {
  known: Known
  go: (route: Route) => void
  onClose: () => void
}
interface Item {
  key: string
  title: string
  about: string
  kind: string
  route: Route
}

const mostItems = 12

/** Finds anything by a few letters, from every place in the page. */
export default function Palette({ known, go, onClose }: Props) {
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const items = useMemo(() => itemsOf(known), [known])
  const found = useMemo(() => search(items, text).slice(0, mostItems), [items, text])
  const chosen = Math.min(at, found.length - 1)
  const take = (item: Item | undefined) => {
    if (!item) return
    go(item.route)
    onClose()
  }
  const onKeyDown = (event: React.KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0
    if (step !== 0) {
      event.preventDefault()
      setAt((chosen + step + found.length) % Math.max(1, found.length))
    } else if (event.key === 'Enter') {
      event.preventDefault()
      take(found[chosen])
    }
  }
  return (
    <Modal.Root opened onClose={onClose} size="lg" yOffset="12vh">
      <Modal.Overlay />
      <Modal.Content aria-label="Find anything">
        <Modal.Body pt="md">
          <TextInput
            data-autofocus
            role="combobox"
            aria-label="Find anything"
            aria-expanded
            aria-controls="palette"
            aria-activedescendant={found[chosen] ? `palette-${chosen}` : undefined}
            placeholder="A part, a target, or a command"
            value={text}
            onChange={(event) => {
              setText(event.currentTarget.value)
              setAt(0)
            }}
            onKeyDown={onKeyDown}
          />
          <div id="palette" role="listbox" aria-label="Found" className="palette">
            {found.map((item, index) => (
              // biome-ignore lint/a11y/useKeyWithClickEvents: the keys are those of the field above, as in any combobox
              <div
                key={item.key}
                id={`palette-${index}`}
                role="option"
                tabIndex={-1}
                aria-selected={index === chosen}
                className="palette-item"
                onClick={() => take(item)}
              >
                <b>{item.title}</b>
                <small>{item.kind}</small>
                <span>{item.about}</span>
              </div>
            ))}
            {found.length === 0 && <p>Nothing found.</p>}
          </div>
        </Modal.Body>
      </Modal.Content>
    </Modal.Root>
  )
}

function itemsOf(known: Known): Item[] {
  return [
    ...allParts(known).map((part): Item => {
      const kind = part.kind === 'tool' ? effectLabels[part.effect].toLowerCase() : part.kind
      return { ...part, kind, route: { at: 'part', key: part.key } }
    }),
    ...known.bench.targets.map(
      ({ id, name, label }): Item => ({
        key: id,
        title: name ?? label,
        about: label,
        kind: 'target',
        route: { at: 'target', id },
      }),
    ),
    {
      key: 'add',
      title: 'Add a target',
      about: 'A kit, a URL, a command, a tape',
      kind: 'do',
      route: { at: 'add' },
    },
  ]
}

/** All words must match. Entries that match in their title come first. */
function search(items: readonly Item[], text: string): Item[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const has = (place: string) => words.every((word) => place.toLowerCase().includes(word))
  const inTitle = items.filter(({ title }) => has(title))
  const rest = items.filter((item) => !inTitle.includes(item) && has(`${item.title} ${item.about} ${item.kind}`))
  return [...inTitle, ...rest]
}
