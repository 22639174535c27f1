import { TextDecoder, TextEncoder } from 'node:util';
import * as React from 'react';

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

// each element that a test draws would remember where it was made, a fifth of the time of all: React stops by itself beyond a count
const internals: unknown = Reflect.get(React, '__CLIENT_INTERNALS_DO_NOT_USE_OR_WARN_USERS_THEY_CANNOT_UPGRADE');
if (typeof internals === 'object' && internals !== null)
  Object.defineProperty(internals, 'recentlyCreatedOwnerStacks', { get: () => Infinity, set: () => undefined });
