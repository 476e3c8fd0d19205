/// <reference types="vite-plugin-pwa/client" />
import { registerSW } from 'virtual:pwa-register';

/** Milliseconds after the page is there: the first work comes before what is kept for later. */
const LATER = 6_000;

/** Keeps the application on this machine, so that it goes on without the server; a new version is offered, and never taken by itself. */
export function installOffline(note: HTMLElement): void {
  if (!('serviceWorker' in navigator)) return;
  setTimeout(() => {
    const take = registerSW({
      immediate: true,
      onNeedRefresh: () => {
        note.hidden = false;
        note.querySelector('button')!.onclick = () => void take(true);
      },
      // A browser that keeps nothing works as long as the server is there.
      onRegisterError: () => undefined,
    });
  }, LATER);
}
