import { Button, Checkbox, Group, Menu, Select } from '@mantine/core'
import { useState } from 'react'
import { type DisplayMode, displayModes } from '../../../src/protocol/ui.js'

/** The host environment that Loupe presents to a view. */
export interface ViewSettings {
  theme: 'light' | 'dark'
  /** In CSS pixels; 0 for the full width. */
  width: number
  locale: string
  displayMode: DisplayMode
  offers: Record<
    'serverTools' | 'serverResources' | 'message' | 'updateModelContext' | 'openLinks' | 'logging',
    boolean
  >
}

export const usualSettings: ViewSettings = {
  theme: matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light',
  width: 0,
  locale: navigator.language,
  displayMode: 'inline',
  offers: {
    serverTools: true,
    serverResources: true,
    message: true,
    updateModelContext: true,
    openLinks: true,
    logging: true,
  },
}

export interface ViewControls {
  reload(): void
  partial(): void
  cancel(): void
  setMode(mode: DisplayMode): void
}

const labels: Record<keyof ViewSettings['offers'], string> = {
  serverTools: 'Calls tools',
  serverResources: 'Reads resources',
  message: 'Adds messages to the conversation',
  updateModelContext: 'Sets context for the model',
  openLinks: 'Opens links',
  logging: 'Receives log messages',
}
const locales = ['en', 'de-CH', 'fr', 'ar', 'ja']

interface Props {
  settings: ViewSettings
  onChange: (settings: ViewSettings) => void
  controls: ViewControls
  input: Record<string, unknown>
}

export function Surroundings({ settings, onChange, controls, input }: Props) {
  const [isOpen, setOpen] = useState(false)
  const set = (more: Partial<ViewSettings>) => onChange({ ...settings, ...more })
  return (
    <Group gap={6} className="view-bar" align="end">
      <Select
        size="xs"
        w={86}
        label="Theme"
        allowDeselect={false}
        data={['light', 'dark']}
        value={settings.theme}
        onChange={(theme) => set({ theme: theme === 'dark' ? 'dark' : 'light' })}
      />
      <Select
        size="xs"
        w={92}
        label="Width"
        allowDeselect={false}
        data={[
          { value: '0', label: 'full' },
          { value: '320', label: '320 px' },
          { value: '480', label: '480 px' },
          { value: '768', label: '768 px' },
        ]}
        value={String(settings.width)}
        onChange={(width) => set({ width: Number(width) })}
      />
      <Select
        size="xs"
        w={86}
        label="Locale"
        allowDeselect={false}
        data={[...new Set([settings.locale, ...locales])]}
        value={settings.locale}
        onChange={(locale) => set({ locale: locale ?? 'en' })}
      />
      <Select
        size="xs"
        w={104}
        label="Display"
        allowDeselect={false}
        data={[...displayModes]}
        value={settings.displayMode}
        onChange={(mode) => controls.setMode((mode ?? 'inline') as DisplayMode)}
      />
      <Menu opened={isOpen} onChange={setOpen} closeOnItemClick={false} position="bottom-start">
        <Menu.Target>
          <Button size="compact-sm" variant="default">
            Host offers…
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <div className="view-offers">
            {(Object.keys(labels) as (keyof ViewSettings['offers'])[]).map((name) => (
              <Checkbox
                key={name}
                size="xs"
                label={labels[name]}
                checked={settings.offers[name]}
                onChange={({ currentTarget }) =>
                  set({ offers: { ...settings.offers, [name]: currentTarget.checked } })
                }
              />
            ))}
            <small>A change reopens the page.</small>
          </div>
        </Menu.Dropdown>
      </Menu>
      <Button
        size="compact-sm"
        variant="default"
        disabled={Object.keys(input).length === 0}
        title="Opens the page again and sends the arguments one by one, as a model writes them"
        onClick={controls.partial}
      >
        Partial input
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        onClick={controls.cancel}
        title="Tells the page that the call was cancelled"
      >
        Cancel
      </Button>
      <Button size="compact-sm" variant="default" onClick={controls.reload}>
        Reload
      </Button>
    </Group>
  )
}
