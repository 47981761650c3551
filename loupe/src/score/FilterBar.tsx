import { NativeSelect, TextInput } from '@mantine/core'
import { lazy, useRef, useState } from 'react'
import { openTapeText } from '../api'
import type { Filter } from './filter'
import { LateMenu } from './LateMenu'

const KindsMenu = lazy(async () => ({ default: (await import('./FilterMenus')).KindsMenu }))
const TapeMenu = lazy(async () => ({ default: (await import('./FilterMenus')).TapeMenu }))

interface Props {
  filter: Filter
  onFilter: (filter: Filter) => void
  shown: number
  all: number
  /** Targets to choose from; empty if there is only one. */
  targets: { value: string; label: string }[]
  recordingTo: string | undefined
  onClear: () => void
}

const count = (number: number) => number.toLocaleString('en')

/** Filters the score, and acts on the whole recording. */
export function FilterBar({ filter, onFilter, shown, all, targets, recordingTo, onClear }: Props) {
  const [problem, setProblem] = useState<string>()
  const chooser = useRef<HTMLInputElement>(null)
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
  const kinds = {
    label: isHiding ? 'Some kinds ▾' : 'All kinds ▾',
    variant: isHiding ? ('light' as const) : ('default' as const),
  }
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
        <NativeSelect
          size="xs"
          w={150}
          aria-label="Target"
          data={[{ value: '', label: 'All targets' }, ...targets]}
          value={filter.target ?? ''}
          onChange={({ currentTarget: { value } }) => onFilter({ ...filter, target: value || undefined })}
        />
      )}
      <LateMenu {...kinds}>
        <KindsMenu filter={filter} onFilter={onFilter} {...kinds} />
      </LateMenu>
      <span className="filter-count">
        {isNarrowed ? `${count(shown)} of ${count(all)}` : `${count(all)} lines`}
      </span>
      <div className="gap" />
      {recordingTo !== undefined && <span className="recording">● {recordingTo}</span>}
      <LateMenu label="Tape ▾">
        <TapeMenu onOpen={() => chooser.current?.click()} onClear={onClear} />
      </LateMenu>
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
