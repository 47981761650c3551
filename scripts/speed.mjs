/**
 * Watches the speed of the processor. The CPU time of the same work varies by a factor of two or more on a machine that
 * shares its processor with others, and the system does not report it.
 */
const text = JSON.stringify(
  Array.from({ length: 300 }, (_, at) => ({ id: at, name: `hive ${at}`, kg: at * 1.1, tags: ['a', String(at)] })),
)
const everyMs = 250

/**
 * Repeats the same work a few times a second. The returned function ends this, and returns the usual speed as a share of
 * the full speed, which is that of the fastest hundredth; undefined after less than a minute.
 */
export function watchSpeed() {
  const samples = []
  // Until the code is compiled.
  for (let count = 0; count < 200; count++) work()
  const timer = setInterval(() => {
    const before = process.cpuUsage()
    work()
    const { user, system } = process.cpuUsage(before)
    samples.push(user + system)
  }, everyMs)
  return () => {
    clearInterval(timer)
    if (samples.length < 60_000 / everyMs) return undefined
    samples.sort((one, other) => one - other)
    const at = (share) => samples[Math.floor(samples.length * share)]
    return at(0.01) / at(0.5)
  }
}

function work() {
  let size = 0
  for (let count = 0; count < 4; count++) size += JSON.stringify(JSON.parse(text)).length
  return size
}
