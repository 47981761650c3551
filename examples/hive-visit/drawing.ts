/** Draws a hive: the number of boxes depends on the size of the colony, and each hive has its own colour. */
export function hiveDrawing(hive: string, strength: number): string {
  const number = Number(hive.slice(3))
  const hue = (number * 47) % 360
  const boxes = strength > 66 ? 3 : strength > 33 ? 2 : 1
  const box = (at: number) => {
    const y = 78 - at * 18
    return `<rect x="34" y="${y}" width="52" height="16" rx="2" fill="hsl(${hue} 45% ${62 - at * 6}%)" stroke="hsl(${hue} 35% 32%)"/><rect x="54" y="${y + 5}" width="12" height="3" rx="1.5" fill="hsl(${hue} 35% 32%)"/>`
  }
  const top = 78 - (boxes - 1) * 18
  const bees = Array.from({ length: 2 + Math.round(strength / 20) }, (_, at) => {
    const x = 16 + ((at * 37 + number * 11) % 88)
    const y = 14 + ((at * 23 + number * 7) % 30)
    return `<ellipse cx="${x}" cy="${y}" rx="3" ry="2" fill="#e8a713" stroke="#3b2a07" stroke-width=".8"/>`
  }).join('')
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 120 100" role="img" aria-label="Hive ${hive}"><rect width="120" height="100" fill="hsl(${hue} 40% 92%)"/><rect y="88" width="120" height="12" fill="hsl(96 30% 68%)"/><rect x="30" y="94" width="60" height="4" fill="#6b5130"/>${Array.from({ length: boxes }, (_, at) => box(at)).join('')}<path d="M30 ${top - 2}h60l-4-7H34z" fill="hsl(${hue} 25% 40%)"/>${bees}</svg>`
}
