/** A name where its thing is on the page. */
export interface Place {
  x: number
  y: number
  width: number
  near: number
  rank: number
}
const HEIGHT = 15

/** The names that are shown: the lower rank first, then the nearer, and none over another. */
export function thin<P extends Place>(places: P[]): Set<P> {
  const order = [...places].sort((a, b) => a.rank - b.rank || a.near - b.near)
  const shown: P[] = []
  for (const p of order) {
    const free = shown.every(
      (q) => p.x + p.width < q.x || q.x + q.width < p.x || p.y + HEIGHT < q.y || q.y + HEIGHT < p.y,
    )
    if (free || p.rank === 0) shown.push(p)
  }
  return new Set(shown)
}
