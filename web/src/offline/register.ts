/** Keeps the pages and what was read last on this device, where the browser can. */
export function keepOnDevice() {
  // without it everything works as long as there is a network
  if ('serviceWorker' in navigator && import.meta.env.PROD)
    window.addEventListener('load', () => void navigator.serviceWorker.register('/sw.js').catch(() => undefined))
}
