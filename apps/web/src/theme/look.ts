import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { Look } from './tokens';

interface LookState {
  readonly look: Look;
  turn(): void;
}

const preferred = (): Look => (window.matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'day');

/** Day or night, remembered in this browser. */
export const useLook = create<LookState>()(
  persist(
    (set) => ({ look: preferred(), turn: () => set(({ look }) => ({ look: look === 'day' ? 'night' : 'day' })) }),
    { name: 'moorage-look' },
  ),
);

// other windows of this browser turn with it
window.addEventListener('storage', ({ key }) => {
  if (key === 'moorage-look') void useLook.persist.rehydrate();
});
