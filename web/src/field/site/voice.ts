import { useEffect, useRef, useState } from 'react'
import { field as words } from '../../words'

/** Records a voice from the microphone of the device; hands over what was said when it is stopped. */
export function useVoice(done: (bytes: Blob, media: string) => void) {
  const [on, setOn] = useState(false)
  const [refused, setRefused] = useState('')
  const recorder = useRef<MediaRecorder>(null)
  useEffect(() => () => recorder.current?.stop(), [])
  const begin = async () => {
    try {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true })
      const parts: Blob[] = []
      const r = new MediaRecorder(stream)
      r.ondataavailable = (e) => parts.push(e.data)
      r.onstop = () => {
        stream.getTracks().forEach((t) => t.stop())
        const media = (r.mimeType || 'audio/webm').split(';')[0] ?? 'audio/webm'
        done(new Blob(parts, { type: media }), media)
        setOn(false)
      }
      r.start()
      recorder.current = r
      setRefused('')
      setOn(true)
    } catch (e) {
      setRefused(words.noMicrophone((e as Error).message))
    }
  }
  return {
    on,
    refused,
    toggle: () => {
      if (on) recorder.current?.stop()
      else void begin()
    },
  }
}
