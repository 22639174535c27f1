const many = (n) => n.toLocaleString('en-GB');

/** The tables on a large made-up site: what `site-harness` measured, beside statements written by hand over the same tables. */
export function siteTables({ claims, namespaces, classes, pools, fillMs, asked, sweeps, off }) {
  const size = `${many(claims)} claims, ${many(namespaces)} namespaces, ${classes} classes, ${pools} pools`;
  return [
    [
      `Answers over ${size}, 99th percentile`,
      asked.map(({ name, ours, byHand, bytes }) => [
        name,
        `${ours.toFixed(1)} ms`,
        `${many(Math.round(bytes / 1024))} KiB; by hand ${byHand.toFixed(1)} ms: ${(ours / byHand).toFixed(2)} times; wanted: within 2, and 50 ms`,
      ]),
    ],
    [
      'What the server does by itself there, median',
      [
        ...sweeps.map(({ name, ms }) => [name, `${ms.toFixed(0)} ms`]),
        ['facts that were off when all were recounted', String(off), 'wanted: 0'],
        ['filled in', `${(fillMs / 1000).toFixed(0)} s`, 'wanted: 100,000 within 120 s'],
      ],
    ],
  ];
}
