import { useTheme } from '@mui/material/styles';

/** States of a thing. Shapes are the day shapes that ships carry; the word always stands beside them. */
export type MarkKind = 'settled' | 'progress' | 'waiting' | 'degraded' | 'person' | 'lost' | 'adrift';

export const markWords: Record<MarkKind, string> = {
  settled: 'settled',
  progress: 'in progress',
  waiting: 'waiting',
  degraded: 'degraded',
  person: 'needs a person',
  lost: 'lost',
  adrift: 'adrift',
};

/** A day shape: ball, half ball, ring, cone, diamond, cross, dashed ring. Decorative: its word is read instead. */
export function Mark({ kind, size = 12 }: { kind: MarkKind; size?: number }) {
  const { chart } = useTheme();
  const colour = kind === 'lost' || kind === 'person' ? chart.buoy : kind === 'degraded' ? chart.lamp : chart.ink;
  const ring = { fill: 'none', stroke: colour, strokeWidth: 1.8 };
  const shape = {
    settled: <circle cx="8" cy="8" r="5.5" fill={colour} />,
    progress: (
      <>
        <circle cx="8" cy="8" r="5.5" {...ring} />
        <path d="M2.5 8a5.5 5.5 0 0 0 11 0z" fill={colour} />
      </>
    ),
    waiting: <circle cx="8" cy="8" r="5.5" {...ring} />,
    degraded: <path d="M8 2 14.5 14h-13z" fill={colour} />,
    person: <path d="M8 1 15 8 8 15 1 8z" fill={colour} />,
    lost: <path d="M3 3l10 10M13 3 3 13" stroke={colour} strokeWidth="2.6" />,
    adrift: <circle cx="8" cy="8" r="5.5" {...ring} strokeDasharray="2.6 2.2" />,
  }[kind];
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" aria-hidden="true" style={{ flex: 'none' }}>
      {shape}
    </svg>
  );
}

export function MarkedWord({ kind, word }: { kind: MarkKind; word?: string }) {
  return (
    <span style={{ display: 'inline-flex', alignItems: 'center', gap: 6, whiteSpace: 'nowrap' }}>
      <Mark kind={kind} />
      {word ?? markWords[kind]}
    </span>
  );
}
