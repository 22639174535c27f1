import '@fontsource/atkinson-hyperlegible-mono/400.css';
import '@fontsource/atkinson-hyperlegible-mono/600.css';
import '@fontsource/atkinson-hyperlegible-next/400.css';
import '@fontsource/atkinson-hyperlegible-next/600.css';
import '@fontsource/atkinson-hyperlegible-next/700.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { App } from './App';

// drawn once the letters are there, so that nothing jumps; a font that does not come in time is done without
const fontsWithinMs = 1500;
const faces = ['400', '600'].flatMap((weight) =>
  ['Next', 'Mono'].map((kind) => `${weight} 14px "Atkinson Hyperlegible ${kind}"`),
);
const fonts = Promise.all(faces.map((face) => document.fonts.load(face)));
await Promise.race([fonts, new Promise((resolve) => setTimeout(resolve, fontsWithinMs))]);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);
