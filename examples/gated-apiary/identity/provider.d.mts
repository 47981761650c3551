export function startProvider(options: {
  port?: number
  resource: string
  lifeSeconds?: number
  extra?: object
}): Promise<{ issuer: string; close(): Promise<void> }>
