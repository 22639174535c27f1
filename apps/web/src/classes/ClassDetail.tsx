import { Box, Button, LinearProgress, Link, Table, TableBody, TableCell, TableRow, Typography } from '@mui/material';
import type { ClassRow } from '@moorage/contract/classes';
import { isHere } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import { provisioner } from '@moorage/core/classes/manifest';
import { lazy, Suspense, useMemo, useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { stringify } from 'yaml';
import { ask } from '../api/client';
import { refresh, useClasses, usePlacement } from '../api/queries';
import { useGo, useKeepLine } from '../frame/address';
import { useDraft } from '../moorings/draft';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { Manifest } from './Manifest';
import { consequencesOf } from './consequences';
import { PoolLines } from './PoolLines';
import { Question } from './Question';
import { GrantsOf } from './GrantsOf';
import { SuccessionPlans } from './SuccessionPlan';
import { purposeWords, rateText, rootWords } from './words';
import { FaintCell, Row, Sheet } from '../parts/layout';

const SpeedChart = lazy(() => import('./SpeedChart'));
const n = (value: number): string => value.toLocaleString('en-GB');

/** The manifest without what the platform keeps for itself. */
function shown(manifest: unknown): unknown {
  const { apiVersion, kind, metadata, provisioner, parameters, ...rest } = manifest as {
    metadata: Record<string, unknown>;
  } & Record<string, unknown>;
  const {
    uid: _uid,
    resourceVersion: _version,
    creationTimestamp: _at,
    managedFields: _fields,
    generation: _generation,
    ...own
  } = metadata;
  // in the order in which people write them
  return { apiVersion, kind, metadata: own, provisioner, ...(parameters !== undefined && { parameters }), ...rest };
}

function Answers({ row }: { row: ClassRow }) {
  const { data: state } = usePlacement();
  const { storageClass: cls } = row;
  const found = state && consequencesOf(cls, state, row.statefulClaims);
  const pools = useMemo(() => state?.pools.filter((p) => isHere(state, p)).map(toCorePool), [state]);
  const flags = [
    cls.encrypted && 'encrypted',
    cls.compression && 'compressed',
    cls.deduplication && 'deduplicated',
  ].filter(Boolean);
  const line = (name: string, value: React.ReactNode) => (
    <TableRow key={name}>
      <FaintCell sx={{ pl: 0 }}>{name}</FaintCell>
      <TableCell>{value}</TableCell>
    </TableRow>
  );
  const table = (...rows: React.ReactNode[]) => (
    <Table size="small">
      <TableBody>{rows}</TableBody>
    </Table>
  );
  return (
    <>
      <Question
        title="How many copies, and where?"
        consequences={found?.copies ?? []}
        extra={state && <PoolLines cls={cls} state={state} />}
      >
        {table(
          cls.shards
            ? line('Shards', `${cls.shards.data} data + ${cls.shards.parity} parity`)
            : line('Copies', `${cls.copies}${cls.witness ? ' and a witness' : ''}`),
          line('In different', `${cls.level}s`),
          ...(cls.secondCopy ? [line('Second copy', 'on another backend')] : []),
          ...(cls.offsite ? [line('Another site', 'a copy, written later')] : []),
          ...(cls.pinnedNodes.length > 0 ? [line('Pinned to', cls.pinnedNodes.join(', '))] : []),
          ...(cls.locality ? [line('Locality', 'one copy with the pod')] : []),
          line('Zones', cls.zones.join(', ') || 'any'),
          line('Reached by', cls.protocols.join(' or ') || 'any protocol'),
          line('Among pools', cls.strategy.replace('-', ' ')),
        )}
      </Question>
      <Question
        title="How fast?"
        consequences={found?.speed ?? []}
        extra={
          pools && (
            <Suspense fallback={<LinearProgress aria-label="Loading" />}>
              <SpeedChart cls={cls} pools={pools} />
            </Suspense>
          )
        }
      >
        {table(
          line('IOPS floor', rateText(cls.iopsFloor)),
          line('IOPS ceiling', rateText(cls.iopsCeiling)),
          ...(cls.throughputFloor ? [line('MB/s floor', rateText(cls.throughputFloor, 'MB/s'))] : []),
          ...(cls.throughputCeiling ? [line('MB/s ceiling', rateText(cls.throughputCeiling, 'MB/s'))] : []),
          ...(cls.latencyAimMs !== undefined ? [line('Latency aim', `${cls.latencyAimMs} ms`)] : []),
          line('Writes', `${Math.round(cls.writeShare * 100)} % of the load`),
        )}
      </Question>
      <Question title="How is it kept?" consequences={found?.keeping ?? []}>
        {table(
          line('Meant for', purposeWords[cls.purpose]),
          line('Data is', flags.join(', ') || 'as the pool keeps it'),
          line('Volume mode', cls.volumeMode),
          ...(cls.fileSystem ? [line('File system', cls.fileSystem)] : []),
          ...(cls.root ? [line('Root on nodes', rootWords[cls.root])] : []),
          ...(cls.mountOptions.length > 0 ? [line('Mounted with', cls.mountOptions.join(', '))] : []),
        )}
      </Question>
      <Question title="What happens at the end?" consequences={found?.ending ?? []}>
        {table(
          line('Reclaim', cls.reclaim),
          line('Grace', cls.graceDays > 0 ? `${cls.graceDays} ${cls.graceDays === 1 ? 'day' : 'days'}` : 'none'),
          ...(cls.safeguard
            ? [line('Safeguard', `every ${cls.safeguard.everyHours} h, ${cls.safeguard.keep} kept`)]
            : []),
          line('Binding', cls.binding),
          line('Growing', cls.expansion ? 'allowed' : 'not allowed'),
        )}
      </Question>
      <Question title="What may a claim tune?" consequences={found?.tuning ?? []}>
        {cls.allowances.length === 0
          ? null
          : table(...cls.allowances.map((a) => line(a.setting, `${n(a.minimum)} to ${n(a.maximum)}`)))}
      </Question>
    </>
  );
}

function Detail({ row }: { row: ClassRow }) {
  const go = useGo();
  const keep = useKeepLine();
  const may = useMay('administrator', 'operator');
  const [asking, setAsking] = useState(false);
  const { name } = row.storageClass;
  const live = usePlacement().data;
  const { drafting, add } = useDraft();
  const makeDefault = useAct(async () => {
    if (drafting && live) {
      add(live, { kind: 'default', className: name, seen: live.defaultClass });
      return { text: `${name} becomes the default class in the draft.` };
    }
    const before = live?.defaultClass;
    const set = async (to: string) => {
      await ask('makeDefault', { params: { name: to } });
      await refresh('classes');
    };
    await set(name);
    return {
      text: `${name} is now the one default class.`,
      ...(before && before !== name && { undo: () => set(before) }),
    };
  });
  const remove = useAct(async () => {
    await ask('deleteClass', { params: { name } });
    await refresh('classes');
    go('/classes');
    return { text: `Class ${name} is deleted.` };
  });
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'minmax(600px, 1fr) 470px', gap: 2, alignItems: 'start' }}>
      <Box>
        <Sheet>
          <Row align="center" wraps sx={{ pb: 1.5 }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {row.isDefault ? 'The default class. ' : ''}
              {row.succeeds && (
                <>
                  Takes over from{' '}
                  <Link component={RouterLink} to={keep(`/classes/${row.succeeds}`)}>
                    {row.succeeds}
                  </Link>
                  .{' '}
                </>
              )}
              <Link component={RouterLink} to={keep(`/claims?class=${name}`)}>
                {row.claims} {row.claims === 1 ? 'claim' : 'claims'}
              </Link>
              , {row.bound} bound, <Size bytes={row.provisioned} /> provisioned on {row.mooredPools} moored{' '}
              {row.mooredPools === 1 ? 'pool' : 'pools'}.
            </Typography>
            {may && !row.isDefault && (
              <Button onClick={() => makeDefault.mutate(undefined)}>Make it the default</Button>
            )}
            {may && (
              <Button onClick={() => go(`/classes/${name}/${row.claims > 0 ? 'successor' : 'change'}`)}>
                Change it
              </Button>
            )}
            {may && !asking && <Button onClick={() => setAsking(true)}>Delete</Button>}
          </Row>
          {asking && (
            <Row role="alert" align="center" sx={{ border: 1, borderColor: 'error.main', p: 1.5, mb: 1.5 }}>
              <Typography variant="body2" sx={{ flex: 1 }}>
                {row.claims > 0
                  ? `${row.claims} claims use ${name}: it cannot be deleted before they are gone or moved.`
                  : `No claim uses ${name}. With it go its moorings; no data is touched.`}
              </Typography>
              <Button onClick={() => setAsking(false)}>Keep it</Button>
              <Button variant="contained" disabled={row.claims > 0} onClick={() => remove.mutate(undefined)}>
                Delete class
              </Button>
            </Row>
          )}
          {row.problems.map((p) => (
            <Typography key={p.field} role="alert" variant="body2" color="error">
              {p.field}: "{p.value}"{' '}
              {p.problem === 'bad-value'
                ? 'is not a value this setting takes; its default is used.'
                : 'is not a setting we know; check its spelling.'}
            </Typography>
          ))}
          <Answers row={row} />
        </Sheet>
        <GrantsOf name={name} />
        <SuccessionPlans name={name} />
      </Box>
      <Manifest
        text={stringify(shown(row.manifest), { lineWidth: 0 })}
        title={`As the platform has it, under ${provisioner}`}
      />
    </Box>
  );
}

export default function ClassDetail() {
  const { name = '' } = useParams();
  const query = useClasses();
  return (
    <Place title={name} question="What this class promises, and what that means on the pools as they are now.">
      <Fetched query={query}>
        {(classes) => {
          const row = classes.find((c) => c.storageClass.name === name);
          return row ? (
            <Detail row={row} />
          ) : (
            <Empty title={`There is no class ${name}`}>It may have been deleted.</Empty>
          );
        }}
      </Fetched>
    </Place>
  );
}
