import { TextDecoder, TextEncoder } from 'node:util';

/** What a browser has and jsdom has not. */
Object.assign(globalThis, {
  TextEncoder,
  TextDecoder,
  CSS: { escape: (text: string) => text.replace(/[^\w-]/g, '\\$&') },
  ResizeObserver: class {
    observe(): void {}
    unobserve(): void {}
    disconnect(): void {}
  },
  matchMedia: () => ({ matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }),
});
