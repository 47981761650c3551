import { Button, Checkbox, Menu, Select, TextInput } from '@mantine/core'
import { useRef, useState } from 'react'
import { downloadTape, openTapeText } from '../api'
import { type Filter, type Kind, kindLabels } from './filter'

interface Props {
  filter: Filter
  onFilter: (filter: Filter) => void
  shown: number
  all: number
  /** Targets to choose among; empty if there is only one. */
  targets: { value: string; label: string }[]
  recordingTo: string | undefined
  onClear: () => void
}

const count = (number: number) => number.toLocaleString('en')

/** What of the score is shown, and what is done with all of it. */
export function FilterBar({ filter, onFilter, shown, all, targets, recordingTo, onClear }: Props) {
  const [problem, setProblem] = useState<string>()
  const chooser = useRef<HTMLInputElement>(null)
  const toggle = (kind: Kind, isShown: boolean) =>
    onFilter({
      ...filter,
      hidden: isShown ? filter.hidden.filter((item) => item !== kind) : [...filter.hidden, kind],
    })
  const openTape = async (file: File | undefined) => {
    if (!file) return
    try {
      await openTapeText(file.name, await file.text())
      setProblem(undefined)
    } catch (error) {
      setProblem((error as Error).message)
    }
  }
  const isNarrowed = shown !== all
  const isHiding = filter.hidden.length > 0 || filter.onlyFaults
  return (
    <div className="filter">
      <TextInput
        size="xs"
        className="filter-text"
        aria-label="Search the score"
        placeholder="Search messages"
        value={filter.text}
        onChange={(event) => onFilter({ ...filter, text: event.currentTarget.value })}
      />
      {targets.length > 0 && (
        <Select
          size="xs"
          w={150}
          aria-label="Target"
          placeholder="All targets"
          clearable
          data={targets}
          value={filter.target ?? null}
          onChange={(value) => onFilter({ ...filter, target: value ?? undefined })}
        />
      )}
      <Menu closeOnItemClick={false} position="bottom-start">
        <Menu.Target>
          <Button size="xs" variant={isHiding ? 'light' : 'default'}>
            {isHiding ? 'Some kinds ▾' : 'All kinds ▾'}
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
      <span className="filter-count">
        {isNarrowed ? `${count(shown)} of ${count(all)}` : `${count(all)} lines`}
      </span>
      <div className="gap" />
      {recordingTo !== undefined && <span className="recording">● {recordingTo}</span>}
      <Menu position="bottom-end">
        <Menu.Target>
          <Button size="xs" variant="default">
            Tape ▾
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => void downloadTape()}>Save all as a tape</Menu.Item>
          <Menu.Item onClick={() => chooser.current?.click()}>Open a tape…</Menu.Item>
          <Menu.Item onClick={onClear}>Clear the view</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      {/* Not in the menu: that is gone by the time a file is chosen. */}
      <input
        ref={chooser}
        type="file"
        accept=".jsonl"
        hidden
        aria-label="A tape"
        onChange={(event) => {
          void openTape(event.currentTarget.files?.[0])
          event.currentTarget.value = ''
        }}
      />
      {problem !== undefined && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </div>
  )
}
