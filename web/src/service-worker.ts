/// <reference no-default-lib="true"/>
/// <reference lib="esnext" />
/// <reference lib="webworker" />
/// <reference types="@sveltejs/kit" />
/**
 * Keeps the page itself on the device, so that it opens without a link. It keeps no answer of the API:
 * the running day is kept by the page (see `shared/device`), and this script is never cached.
 */
import { build, files, version } from '$service-worker';

const self = globalThis.self as unknown as ServiceWorkerGlobalScope;
const NAME = `quarry-page-${version}`;
const PAGE = '/';
const FILES = [PAGE, ...build, ...files];
/** A link that does not answer for so long is taken for none: the page that is kept opens. */
const PATIENCE_MS = 3000;
/** A page of the version before may still be open and ask for its parts. */
const VERSIONS = 2;

self.addEventListener('install', (event) => {
  event.waitUntil(
    (async () => {
      const cache = await caches.open(NAME);
      await cache.addAll(FILES.map((f) => new Request(f, { cache: 'no-cache' })));
      await self.skipWaiting();
    })(),
  );
});

self.addEventListener('activate', (event) => {
  event.waitUntil(
    (async () => {
      const mine = (await caches.keys()).filter((k) => k.startsWith('quarry-page-') && k !== NAME);
      await Promise.all(mine.slice(0, -(VERSIONS - 1)).map((k) => caches.delete(k)));
      await self.clients.claim();
    })(),
  );
});

/** The page: the newest where the server answers, else the one that is kept. */
async function page(request: Request): Promise<Response> {
  const kept = () => caches.open(NAME).then((c) => c.match(PAGE));
  const stop = new AbortController();
  const late = setTimeout(() => stop.abort(), PATIENCE_MS);
  try {
    const answer = await fetch(request, { signal: stop.signal });
    return answer.status < 500 ? answer : ((await kept()) ?? answer);
  } catch {
    return (await kept()) ?? Response.error();
  } finally {
    clearTimeout(late);
  }
}

self.addEventListener('fetch', (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== 'GET' || url.origin !== self.location.origin || url.pathname.startsWith('/api/')) return;
  if (request.mode === 'navigate') event.respondWith(page(request));
  else if (FILES.includes(url.pathname) || url.pathname.startsWith('/_app/immutable/'))
    event.respondWith(caches.match(request).then((kept) => kept ?? fetch(request)));
});
