import { Box, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { PlacementState } from '@moorage/contract/moorings';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { grouped } from './Grid';
import { drawShores, type ShoreLine } from './shores-layout';

const width = 1180;
const [left, right] = [250, 880];

/** Classes on one shore, pools on the other, and between them what is kept where: the wider a line, the more bytes. */
export function Shores({ state }: { state: PlacementState }) {
  const { chart } = useTheme();
  const [over, setOver] = useState<string>();
  const drawing = drawShores(
    state.classes.map((c) => c.name),
    grouped(state).map((p) => p.id),
    state,
  );
  const near = (line: ShoreLine) => over === undefined || line.className === over || line.pool === over;
  const label = (name: string, bytes: number) => `${name}: ${sizeText(bytes)} provisioned`;
  return (
    <Box sx={{ overflow: 'auto' }}>
      <svg
        viewBox={`0 0 ${width} ${drawing.height}`}
        role="img"
        aria-label="Classes and pools, with what is kept where"
        style={{ width: '100%', minWidth: 900, display: 'block' }}
      >
        {drawing.lines.map((line) => (
          <path
            key={`${line.className}/${line.pool}`}
            d={`M ${left} ${line.from} C ${left + 260} ${line.from}, ${right - 260} ${line.to}, ${right} ${line.to}`}
            fill="none"
            stroke={line.bytes > 0 ? chart.depth[3] : chart.secondInk}
            strokeWidth={line.bytes > 0 ? line.width : 1}
            strokeDasharray={line.enabled ? undefined : '2 5'}
            opacity={near(line) ? (line.bytes > 0 ? 0.75 : 0.8) : 0.15}
          >
            <title>
              {`${line.className} on ${line.pool}: ${sizeText(line.bytes)} in ${line.count} ${line.count === 1 ? 'volume' : 'volumes'}${line.enabled ? '' : ', no longer moored'}`}
            </title>
          </path>
        ))}
        {[
          { nodes: drawing.classes, x: left - 12, anchor: 'end' as const },
          { nodes: drawing.pools, x: right + 12, anchor: 'start' as const },
        ].map(({ nodes, x, anchor }) =>
          nodes.map((node) => (
            <g
              key={node.name}
              tabIndex={0}
              aria-label={label(node.name, node.bytes)}
              onMouseEnter={() => setOver(node.name)}
              onMouseLeave={() => setOver(undefined)}
              onFocus={() => setOver(node.name)}
              onBlur={() => setOver(undefined)}
            >
              <rect
                x={anchor === 'end' ? left - 6 : right}
                y={node.y}
                width={6}
                height={node.height}
                fill={chart.ink}
              />
              <text
                x={x}
                y={node.y + node.height / 2 - 2}
                textAnchor={anchor}
                fill={chart.ink}
                fontSize={14}
                fontWeight={600}
              >
                {node.name}
              </text>
              <text x={x} y={node.y + node.height / 2 + 14} textAnchor={anchor} fill={chart.secondInk} fontSize={12}>
                {node.bytes > 0
                  ? `${sizeText(node.bytes)} in ${node.count} ${node.count === 1 ? 'volume' : 'volumes'}`
                  : 'nothing kept'}
              </text>
            </g>
          )),
        )}
      </svg>
      <Typography variant="caption" color="text.secondary" sx={{ display: 'block', px: 2, pb: 1 }}>
        A thin line is a mooring on which nothing is kept yet; a dotted one holds volumes of a class that may no longer
        use the pool.
      </Typography>
    </Box>
  );
}
