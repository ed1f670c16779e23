import * as tus from 'tus-js-client'
import { field as words } from '../words'

/** Bytes sent at a time: each piece carries its SHA-256, and is sent again when the line breaks. */
const PIECE = 16 << 20

/** Adds the checksum of each piece to its request. */
class Summed {
  private inner = new tus.DefaultHttpStack({})
  createRequest(method: string, url: string): tus.HttpRequest {
    const request = this.inner.createRequest(method, url)
    const send = request.send.bind(request)
    request.send = async (body?: unknown) => {
      // browsers sum on secure pages only; the length is checked anyway
      if (method === 'PATCH' && body instanceof Blob && crypto.subtle) {
        const sum = new Uint8Array(await crypto.subtle.digest('SHA-256', await body.arrayBuffer()))
        request.setHeader('Upload-Checksum', `sha256 ${btoa(String.fromCharCode(...sum))}`)
      }
      return send(body)
    }
    return request
  }
  getName = () => 'Summed'
}

export interface Handlers {
  progress: (sent: number) => void
  done: () => void
  failed: (reason: string) => void
  created: () => void
}

/** An upload that goes on where it broke off: after a lost line, a closed browser, a restarted server. */
export async function send(
  job: string,
  file: File,
  metadata: Record<string, string>,
  on: Handlers,
): Promise<tus.Upload> {
  const upload = new tus.Upload(file, {
    endpoint: `/api/jobs/${job}/uploads`,
    chunkSize: PIECE,
    retryDelays: [0, 1000, 2000, 4000, 8000, 15000, 30000, 60000],
    headers: { 'x-vistazo': '1' },
    metadata: { filename: file.name, ...metadata },
    fingerprint: () => Promise.resolve(`vistazo/${job}/${file.name}/${file.size}/${file.lastModified}`),
    removeFingerprintOnSuccess: true,
    httpStack: new Summed(),
    // what the server refuses for a reason is not tried again
    onShouldRetry: (e) => {
      const s = e.originalResponse?.getStatus() ?? 0
      return s === 0 || s === 409 || s === 423 || s === 460 || (s >= 500 && s !== 507)
    },
    onUploadUrlAvailable: on.created,
    onProgress: (sent) => on.progress(sent),
    onSuccess: on.done,
    onError: (e) => on.failed(reasonOf(e)),
  })
  const before = await upload.findPreviousUploads()
  if (before[0]) upload.resumeFromPreviousUpload(before[0])
  upload.start()
  return upload
}

function reasonOf(e: Error): string {
  const body = (e as tus.DetailedError).originalResponse?.getBody()
  try {
    return (JSON.parse(body ?? '') as { error: string }).error
  } catch {
    return body ? e.message : words.theServerCannotBe
  }
}
