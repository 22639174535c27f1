import { useEffect, useRef, useState } from 'react';

/** Marks what changed while one looks, with a tint that fades; what is there when the page opens has not changed. */
export function Changed({ of, children }: { of: string; children: React.ReactNode }) {
  const seen = useRef(of);
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    if (seen.current === of) return;
    seen.current = of;
    setTurn((n) => n + 1);
  }, [of]);
  return (
    <span
      key={turn}
      style={{
        display: 'inline-flex',
        alignItems: 'center',
        gap: 6,
        paddingInline: 2,
        ...(turn > 0 && { animation: 'changed 2s' }),
      }}
    >
      {children}
    </span>
  );
}
