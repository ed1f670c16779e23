import { useEffect, useRef } from 'react'
import type { Drawn } from '../draw/drawn'
import { drawnAt, drawOver, showDrawn } from './drawnOver'
import type { World } from './world'

const NOTHING: Drawn[] = []

export interface OverClouds {
  /** What is drawn over the clouds, the one that is chosen, and what is chosen by a click. */
  drawn?: Drawn[]
  chosen?: string | null
  onChoose?: (id: string | null) => void
}

/** What is drawn stands over the clouds, about their origin; returns what a click chooses by. */
export function useDrawn(world: World | null, origin: number[] | undefined, dark: boolean, of: OverClouds) {
  const { drawn = NOTHING, chosen = null, onChoose } = of
  useEffect(() => {
    if (world && origin) drawOver(world, drawn, origin, chosen, dark)
  }, [world, origin, drawn, chosen, dark])
  // what was clicked is before the eye already
  const clicked = useRef<string | null>(null)
  useEffect(() => {
    if (world && chosen && chosen !== clicked.current) showDrawn(world, chosen)
    clicked.current = null
  }, [world, chosen])
  if (!world || !onChoose) return undefined
  return (x: number, y: number) => {
    clicked.current = drawnAt(world, world.ray(x, y).ray)
    onChoose(clicked.current)
  }
}
