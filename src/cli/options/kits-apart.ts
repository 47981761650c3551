let isOn = false

/** Runs kits in separate processes from now on, so that a blocked kit cannot keep this process from ending. */
export function keepKitsApart(): void {
  isOn = true
}

export const keepsKitsApart = (): boolean => isOn
