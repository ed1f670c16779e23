import * as THREE from 'three'
import type { Schema } from '../api/client'
import { useJob, useRead, useSame } from '../lib/hooks'

/** A note of the field, where it was pinned, about the origin of the view. */
export interface CloudNote {
  text: string
  hazard: boolean
  at: [number, number, number]
}

/** Notes that were pinned to points of scans: they go where their scans go. A client sees what was signed, and no notes. */
export function usePins(scans: Schema['CloudScanDto'][]): CloudNote[] {
  const job = useJob()
  const journal = useRead('/api/jobs/{job}/field/journal', job.role !== 'client')
  const pins = (journal.data?.entries ?? []).flatMap((e): CloudNote[] => {
    if (!e.stands || e.fact.kind !== 'note' || !e.fact.data.pin) return []
    const { pin, text, hazard } = e.fact.data
    const pose = scans.find((s) => s.id === pin.scan)?.pose
    if (!pose) return []
    const [w, x, y, z] = pose.rotation as [number, number, number, number]
    const at = new THREE.Vector3(...(pin.at as [number, number, number]))
      .applyQuaternion(new THREE.Quaternion(x, y, z, w))
      .add(new THREE.Vector3(...(pose.translation as [number, number, number])))
    return [{ text: text ?? '', hazard: hazard ?? false, at: at.toArray() }]
  })
  return useSame(pins)
}
