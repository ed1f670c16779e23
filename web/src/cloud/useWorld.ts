import { type RefObject, useEffect, useState } from 'react'
import { World } from './world'

export interface ShownCloud {
  points: number
  busy: boolean
  failed: number
  heights: [number, number] | null
}
const FIRST: ShownCloud = { points: 0, busy: true, failed: 0, heights: null }

/** The scene in a box of the page; when the graphics card lets go of it, it can be made again. */
export function useWorld(box: RefObject<HTMLDivElement | null>) {
  const [world, setWorld] = useState<World | null>(null)
  const [state, setState] = useState<'there' | 'lost' | 'none'>('there')
  const [shown, setShown] = useState(FIRST)
  const [epoch, setEpoch] = useState(0)
  const remake = () => {
    setState('there')
    setEpoch((n) => n + 1)
  }
  useEffect(() => {
    let w: World
    try {
      w = new World(box.current as HTMLElement)
    } catch {
      setState('none')
      return
    }
    w.drawn = () =>
      setShown((old) => {
        const { points, busy, failed } = w.scans
        if (old.points === points && old.busy === busy && old.failed === failed) return old
        return { points, busy, failed, heights: w.scans.heights }
      })
    w.lost = (gone) => (gone ? setState('lost') : remake())
    setWorld(w)
    return () => {
      w.dispose()
      setWorld(null)
    }
  }, [box, epoch])
  return { world, state, shown, remake }
}
