/** The marks by which people are distinguished on the plan: by form, not by colour. */
export const MARKS = ['diamond', 'disc', 'square', 'triangle', 'ring', 'cross', 'bar', 'star'] as const

const disc = (x: number, y: number, r: number, turn: 0 | 1) =>
  `M${x - r} ${y}a${r} ${r} 0 1 ${turn} ${2 * r} 0a${r} ${r} 0 1 ${turn} ${-2 * r} 0Z`
const polygon = (points: (readonly [number, number])[]) => `M${points.map((p) => p.join(' ')).join('L')}Z`

/** The outline of a mark with its middle at x and y, r from there to its edge. */
export function markPath(mark: string, x: number, y: number, r: number): string {
  const around = (count: number, from: number, radius: (k: number) => number = () => r) =>
    polygon(
      Array.from({ length: count }, (_, k) => {
        const angle = from + (2 * Math.PI * k) / count
        return [x + radius(k) * Math.sin(angle), y - radius(k) * Math.cos(angle)] as const
      }),
    )
  switch (mark) {
    case 'disc':
      return disc(x, y, 0.9 * r, 1)
    case 'ring':
      return disc(x, y, r, 1) + disc(x, y, 0.45 * r, 0)
    case 'square':
      return around(4, Math.PI / 4, () => 1.2 * r)
    case 'triangle':
      return around(3, 0, () => 1.2 * r)
    case 'star':
      return around(10, 0, (k) => (k % 2 ? 0.5 * r : 1.2 * r))
    case 'bar':
      return `M${x - 1.2 * r} ${y - 0.4 * r}h${2.4 * r}v${0.8 * r}h${-2.4 * r}Z`
    case 'cross': {
      const [a, b] = [0.35 * r, 1.1 * r]
      const quarter: [number, number][] = [
        [-a, -b],
        [a, -b],
        [a, -a],
      ]
      const turned = [0, 1, 2, 3].flatMap((k) =>
        quarter.map(([u, v]) => {
          for (let n = 0; n < k; n++) [u, v] = [-v, u]
          return [x + u, y + v] as const
        }),
      )
      return polygon(turned)
    }
    default:
      return around(4, 0)
  }
}
