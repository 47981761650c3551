/** CPU time of this process in milliseconds: what a bound on work is held against, whatever else the machine does meanwhile. */
export function cpuMs(): number {
  const { user, system } = process.cpuUsage()
  return (user + system) / 1000
}
