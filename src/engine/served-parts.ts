import type { Identity } from '../kit/call.js'
import { namesIn, narrowed } from '../kit/choose.js'
import type { Kit } from '../kit/kit.js'
import type { Layer } from '../kit/layer.js'
import { partsOfLayers, withoutLayers } from '../kit/layers-around.js'
import type { Part } from '../kit/part.js'
import { isView, withOwnViews, withoutPages } from '../kit/view.js'
import { Gates } from './gates.js'
import { PartIndex } from './part-index.js'
import type { RunningOptions } from './running-options.js'

/** Callers choose the names that they select, so only some results are cached. */
const mostSelections = 100

/** The parts that a kit serves: those selected by its options with those of its layers, indexed for calls. */
export class ServedParts {
  /** The parts of all sessions. */
  index!: PartIndex
  /** True if some parts are for hosts that show views. */
  hasViews = false
  /** All layers, those of the kit before those of single parts. */
  layers: readonly Layer[] = []
  /** The layers that react to changed resources. */
  hearing: readonly Layer[] = []
  #kit!: Kit
  #all: readonly Part[] = []
  #outer: readonly Layer[] = []
  readonly #options: RunningOptions
  readonly #gates: Gates
  readonly #selections = new Map<string, PartIndex>()

  constructor(options: RunningOptions, reportError: (text: string) => void) {
    this.#options = options
    this.#gates = new Gates(reportError)
  }

  /** The parts of a kit that would be served. Changes nothing. */
  of(kit: Kit): readonly Part[] {
    const { choose } = this.#options
    const parts = choose ? withOwnViews(choose(kit.parts), kit.parts) : kit.parts
    if (this.#options.withoutLayers) return parts
    const added = partsOfLayers([...this.#outerOf(kit), ...parts.flatMap(({ layers = [] }) => layers)])
    return added.length === 0 ? parts : [...parts, ...added]
  }

  /** Serves these parts of a kit from now on. */
  serve(kit: Kit, parts: readonly Part[]): void {
    const own = this.#options.withoutLayers ? [] : parts.flatMap(({ layers = [] }) => layers)
    this.#kit = kit
    this.#all = parts
    this.#outer = this.#outerOf(kit)
    this.layers = [...new Set([...this.#outer, ...own])]
    this.hearing = this.layers.filter((layer) => layer.onResourceUpdated)
    this.hasViews = parts.some((part) => isView(part) || (part.kind === 'tool' && part.forPages !== undefined))
    this.#selections.clear()
    this.index = new PartIndex(parts, this.#options.validator, this.#outer, this.index, this.hasViews)
  }

  /**
   * The parts that a session sees: those that it selected, that are visible to its caller, and parts for views only if
   * its host shows views.
   */
  indexFor(only: string | undefined, identity?: Identity, showsViews = false): PartIndex {
    const hidden = identity && this.#gates.hiddenFrom(identity, this.#kit, this.index)
    const isPlain = this.hasViews && !showsViews
    if (only === undefined && !hidden && !isPlain) return this.index
    const key = JSON.stringify([only, hidden?.key, isPlain])
    const known = this.#selections.get(key)
    if (known) return known
    const visible = hidden ? this.#all.filter((part) => !hidden.parts.has(part)) : this.#all
    const selected = withOwnViews(only === undefined ? visible : narrowed(visible, namesIn(only)), this.#all)
    const made = new PartIndex(
      isPlain ? withoutPages(selected) : selected,
      this.#options.validator,
      this.#outer,
      this.index,
      this.hasViews && showsViews,
    )
    if (this.#selections.size >= mostSelections) this.#selections.clear()
    this.#selections.set(key, made)
    return made
  }

  #outerOf(kit: Kit): readonly Layer[] {
    const { layers = [] } = this.#options
    if (this.#options.withoutLayers) return withoutLayers
    return layers.length === 0 ? kit.layers : [...layers, ...kit.layers]
  }
}
