import { Button, Checkbox, Menu } from '@mantine/core'
import { downloadTape } from '../api'
import { type Filter, type Kind, kindLabels } from './filter'

interface KindsProps {
  filter: Filter
  onFilter: (filter: Filter) => void
  /** Text and variant of the button. */
  label: string
  variant: 'default' | 'light'
}

/** Chooses the kinds of messages to show. It is open when it is mounted. */
export function KindsMenu({ filter, onFilter, label, variant }: KindsProps) {
  const toggle = (kind: Kind, isShown: boolean) =>
    onFilter({
      ...filter,
      hidden: isShown ? filter.hidden.filter((item) => item !== kind) : [...filter.hidden, kind],
    })
  return (
    <Menu closeOnItemClick={false} position="bottom-start" defaultOpened>
      <Menu.Target>
        <Button size="xs" variant={variant}>
          {label}
        </Button>
      </Menu.Target>
      <Menu.Dropdown className="kinds">
        {(Object.keys(kindLabels) as Kind[]).map((kind) => (
          <Checkbox
            key={kind}
            size="xs"
            label={kindLabels[kind]}
            checked={!filter.hidden.includes(kind)}
            onChange={(event) => toggle(kind, event.currentTarget.checked)}
          />
        ))}
        <Checkbox
          size="xs"
          label="Errors only"
          checked={filter.onlyFaults}
          onChange={(event) => onFilter({ ...filter, onlyFaults: event.currentTarget.checked })}
        />
      </Menu.Dropdown>
    </Menu>
  )
}

/** Saves, opens or clears the recording. It is open when it is mounted. */
export function TapeMenu({ onOpen, onClear }: { onOpen: () => void; onClear: () => void }) {
  return (
    <Menu position="bottom-end" defaultOpened>
      <Menu.Target>
        <Button size="xs" variant="default">
          Tape ▾
        </Button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => void downloadTape()}>Save all as a tape</Menu.Item>
        <Menu.Item onClick={onOpen}>Open a tape…</Menu.Item>
        <Menu.Item onClick={onClear}>Clear the view</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  )
}
