import { Box, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { UseFlows, UseMeasure } from '@moorage/contract/usage';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { useKeepLine } from '../frame/address';
import { useMoment } from '../frame/Moment';
import { Empty, Fetched } from '../parts/States';
import { Column, Sheet } from '../parts/layout';
import { layShores, type Flow } from '../soundings/shores';
import { figureText, measureWords, noneOf } from './use';
import { UseControls, useUseChoices } from './UseGrid';

const width = 1180;
/** Where each shore stands, and on which side of it its names do. */
const shores = [
  { of: 'namespaces', x: 230, side: 'end', none: noneOf.namespace },
  { of: 'classes', x: 560, side: 'start', none: noneOf.class },
  { of: 'pools', x: 950, side: 'start', none: noneOf.pool },
] as const;
const thick = 6;

type Band = Flow & { readonly of: UseFlows['flows'][number] };

/** What a name on a shore is called; null: several together. */
const nameOf = ({ names, merged }: UseFlows['pools'], i: number): string | null =>
  merged > 0 && i === names.length - 1 ? null : names[i]!;

/** Where the claims of a band are listed: by what is one name alone. */
function claimsOf(flows: UseFlows, { namespace, class: of, pool }: Band['of']): string {
  const query = new URLSearchParams();
  const [inNamespace, inClass, onPool] = [
    nameOf(flows.namespaces, namespace),
    nameOf(flows.classes, of),
    nameOf(flows.pools, pool),
  ];
  if (inNamespace) query.set('namespace', inNamespace);
  if (inClass) query.set('class', inClass);
  if (onPool) query.set(flows.isPast ? 'pool' : 'q', onPool);
  return `/claims?${query.toString()}`;
}

const claimsText = (n: number) => `${n.toLocaleString('en-GB')} ${n === 1 ? 'claim' : 'claims'}`;

function Drawn({ flows }: { flows: UseFlows }) {
  const { chart } = useTheme();
  const keep = useKeepLine();
  const [over, setOver] = useState<{ shore: number; name: string }>();
  const { drawing, titles } = useMemo(() => {
    const bands = flows.flows.map((of): Band => {
      const at = [of.namespace, of.class, of.pool].map(String);
      return { at, value: of.value, count: of.claims, of };
    });
    return {
      drawing: layShores(
        shores.map(({ of }) => flows[of].names.map((_, i) => String(i))),
        bands,
      ),
      titles: shores.map(({ of, none }) =>
        flows[of].names.map((_, i) => {
          const name = nameOf(flows[of], i);
          return name === null ? `${flows[of].merged} others` : name || none;
        }),
      ),
    };
  }, [flows]);
  const text = (value: number) => figureText(value, flows.measure, flows.currency);
  const isNear = ({ at }: Flow) => over === undefined || at[over.shore] === over.name;
  const titleOf = ({ of, count, value }: Band) =>
    `${titles[0]![of.namespace]}, ${titles[1]![of.class]} on ${titles[2]![of.pool]}: ${text(value)}, ${claimsText(count)}`;
  return (
    <svg
      viewBox={`0 0 ${width} ${drawing.height}`}
      role="group"
      aria-label={`Namespaces, classes and pools by ${measureWords[flows.measure]}`}
      style={{ width: '100%', minWidth: 900, display: 'block' }}
    >
      {drawing.lines.map(({ flow, shore, from, to, width: wide }) => {
        const [left, right] = [shores[shore]!.x + thick / 2, shores[shore + 1]!.x - thick / 2];
        const bend = (right - left) / 2;
        return (
          <RouterLink
            key={`${shore}/${flow.at.join('/')}`}
            to={keep(claimsOf(flows, flow.of))}
            aria-label={titleOf(flow)}
            // the same claims are reached from the first stretch
            tabIndex={shore === 0 ? 0 : -1}
            aria-hidden={shore > 0}
          >
            <path
              d={`M ${left} ${from} C ${left + bend} ${from}, ${right - bend} ${to}, ${right} ${to}`}
              fill="none"
              stroke={chart.depth[3]}
              strokeWidth={wide}
              opacity={isNear(flow) ? 0.7 : 0.1}
            >
              <title>{titleOf(flow)}</title>
            </path>
          </RouterLink>
        );
      })}
      {shores.map(({ of, x, side }, shore) =>
        drawing.shores[shore]!.map((node) => {
          const title = titles[shore]![Number(node.name)]!;
          const words = `${text(node.value)} · ${claimsText(node.count)}`;
          const enter = () => setOver({ shore, name: node.name });
          return (
            <g
              key={`${of}/${node.name}`}
              tabIndex={0}
              role="img"
              aria-label={`${title}: ${words}`}
              onMouseEnter={enter}
              onMouseLeave={() => setOver(undefined)}
              onFocus={enter}
              onBlur={() => setOver(undefined)}
            >
              <rect x={x - thick / 2} y={node.y} width={thick} height={node.height} fill={chart.ink} />
              {[title, words].map((line, i) => (
                <text
                  key={line}
                  x={side === 'end' ? x - 12 : x + 12}
                  y={node.y + node.height / 2 + (i === 0 ? -2 : 14)}
                  textAnchor={side}
                  fill={i === 0 ? chart.ink : chart.secondInk}
                  fontSize={i === 0 ? 14 : 12}
                  fontWeight={i === 0 ? 600 : 400}
                  // names stand on what flows by: a rim of the sheet keeps them readable
                  stroke={chart.sheet}
                  strokeWidth={4}
                  paintOrder="stroke"
                >
                  {line}
                </text>
              ))}
            </g>
          );
        }),
      )}
    </svg>
  );
}

/** What namespaces use of which class on which pool, as bands as wide as what they hold. */
export default function Flows() {
  const { measure: shown } = useUseChoices();
  // shares of limits are nothing that flows
  const measure: UseMeasure = shown === 'share' ? 'provisioned' : shown;
  const at = useMoment();
  const query = useQuery({
    queryKey: keys.flows(measure, at ?? ''),
    queryFn: () => ask('getFlows', { query: { measure, ...(at && { at }) } }),
    placeholderData: keepPreviousData,
  });
  return (
    <Column gap={1.5}>
      <UseControls isDrawing />
      <Fetched query={query}>
        {(flows) =>
          flows.flows.length === 0 ? (
            <Empty title={`Nothing is there by ${measureWords[measure]}`}>
              {flows.unknown > 0
                ? 'Of what there is, it is not known: choose another measure.'
                : 'Choose another measure or moment.'}
            </Empty>
          ) : (
            <Sheet>
              <Box sx={{ overflow: 'auto' }}>
                <Drawn flows={flows} />
              </Box>
              <Typography variant="caption" color="text.secondary">
                By {measureWords[flows.measure]}. A band leads to its claims; a name shows what is its own.
                {flows.unknown > 0 && ` Of ${claimsText(flows.unknown)} it is not known: they are not drawn.`}
              </Typography>
            </Sheet>
          )
        }
      </Fetched>
    </Column>
  );
}
