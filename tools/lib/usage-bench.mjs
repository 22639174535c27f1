/** The rows of the table on use over time: what `usage-harness` measured, beside statements written by hand and COPY. */
export function usageRows(
  { volumes, minuteMs, rollMs, days, asked, taken, dayRollMs, bytesPerYear },
  { theilSenMs, covered, ours, straight, asToday },
) {
  const many = volumes.toLocaleString('en-GB');
  return [
    [
      `a minute of ${many} volumes taken in, median`,
      `${(minuteMs / 1000).toFixed(2)} s`,
      'their keys and pools summed up with it',
    ],
    [
      'the same beside COPY alone',
      `${((100 * taken.copy) / taken.ours).toFixed(0)} % of its rate`,
      `COPY ${taken.copy.toFixed(0)} ms, ours ${taken.ours.toFixed(0)} ms; wanted: at least 30 %`,
    ],
    [`${days} days rolled up`, `${(rollMs / 1000).toFixed(1)} s`, 'one minute of each: five minutes, an hour, a day'],
    ['a day rolled up of its hours', `${(dayRollMs / 1000).toFixed(1)} s`, 'wanted: within 60 s'],
    ['on disk, a volume and year by days', `${(bytesPerYear / 1024).toFixed(0)} KiB`],
    ...asked.map(({ name, ours, byHand }) => [
      name,
      `${ours.toFixed(1)} ms`,
      `99th percentile; by hand ${byHand.toFixed(1)} ms: ${(ours / byHand).toFixed(2)} times; wanted: within 3, and 150 ms`,
    ]),
    [
      'days of generated years within the interval',
      `${(100 * covered).toFixed(0)} %`,
      '300 years, 30 days held back; 80 % stated, wanted: 75 to 85 %',
    ],
    [
      'how far the forecast was off, a day',
      `${(ours / straight).toFixed(2)} times a straight line, ${(ours / asToday).toFixed(2)} times "as today"`,
      'below 1 is nearer',
    ],
    ['trend of 10,000 points', `${theilSenMs.toFixed(0)} ms`, 'the slowest of four kinds; wanted: within 50 ms'],
  ];
}
