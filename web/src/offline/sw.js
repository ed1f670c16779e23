// The service worker: the pages and what was read last, for whoever has no network. What is entered without one is kept by
// the page (field/site/outbox.ts). FILES and BUILD are put in by the build.
const FILES = __FILES__
const PAGES = `pages-${__BUILD__}`
const READ = 'read'
const SLOW = 8000

// what a field sheet reads; clouds and pictures stay on the server
const KEPT =
  /^\/api\/(me|jobs|jobs\/[^/]+|jobs\/[^/]+\/(summary|plan|plan\/cover|scans|control|tasks|members|uploads|field\/(now|journal)|plan\/underlays\/[^/]+|field\/files\/[^/]+))$/

self.addEventListener('install', (event) => {
  event.waitUntil(
    caches
      .open(PAGES)
      .then((cache) => cache.addAll(['/', ...FILES]))
      .then(() => self.skipWaiting()),
  )
})

self.addEventListener('activate', (event) => {
  event.waitUntil(
    caches
      .keys()
      .then((names) => Promise.all(names.filter((n) => n !== PAGES && n !== READ).map((n) => caches.delete(n))))
      .then(() => self.clients.claim()),
  )
})

self.addEventListener('fetch', (event) => {
  const { request } = event
  const url = new URL(request.url)
  if (url.origin !== self.location.origin) return
  // who signs out leaves nothing behind that the next one could read
  if (request.method === 'DELETE' && url.pathname === '/api/me') {
    event.respondWith(fetch(request).finally(() => caches.delete(READ)))
    return
  }
  if (request.method !== 'GET') return
  if (request.mode === 'navigate') event.respondWith(page(request))
  else if (url.pathname.startsWith('/assets/')) event.respondWith(asset(request))
  else if (KEPT.test(url.pathname)) event.respondWith(read(request))
})

async function page(request) {
  try {
    return await fetch(request)
  } catch (gone) {
    const kept = await caches.match('/', { cacheName: PAGES })
    if (kept) return kept
    throw gone
  }
}

async function asset(request) {
  return (await caches.match(request)) ?? fetch(request)
}

// from the server when it answers in time, else as it was read last
async function read(request) {
  const kept = await caches.open(READ)
  try {
    const answer = await fetch(request, { signal: AbortSignal.timeout(SLOW) })
    if (answer.ok) await kept.put(request, answer.clone())
    // whoever is not signed in any more reads nothing of what was read before
    else if (answer.status === 401) await caches.delete(READ)
    return answer
  } catch (gone) {
    const old = await kept.match(request)
    if (!old) throw gone
    // the page says that it is old
    const headers = new Headers(old.headers)
    headers.set('x-read-before', old.headers.get('date') ?? 'before')
    return new Response(old.body, { status: old.status, headers })
  }
}
