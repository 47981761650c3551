let isOn = false

/** From now on kits run in a process of their own, so that one that blocks its thread cannot keep this process from ending. */
export function keepKitsApart(): void {
  isOn = true
}

export const keepsKitsApart = (): boolean => isOn
