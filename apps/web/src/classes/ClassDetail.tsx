import { Box, Button, Link, Paper, Table, TableBody, TableCell, TableRow, Typography } from '@mui/material';
import type { ClassRow } from '@moorage/contract/classes';
import { provisioner, toManifest } from '@moorage/core/classes/manifest';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { stringify } from 'yaml';
import { call } from '../api/client';
import { queryClient, useClasses, usePlacement } from '../api/queries';
import { useGo, useKeepLine } from '../frame/address';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { Manifest } from './Manifest';
import { consequencesOf } from './consequences';
import { Question } from './Question';
import { rateText } from './words';

function Answers({ row }: { row: ClassRow }) {
  const { data: state } = usePlacement();
  const { storageClass: cls } = row;
  const found = state && consequencesOf(cls, state);
  const line = (name: string, value: React.ReactNode) => (
    <TableRow key={name}>
      <TableCell sx={{ color: 'text.secondary', pl: 0 }}>{name}</TableCell>
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
      <Question title="How many copies, and where?" consequences={found?.copies ?? []}>
        {table(
          line('Copies', cls.copies),
          line('Zones', cls.zones.join(', ') || 'any'),
          line('Among pools', cls.strategy.replace('-', ' ')),
        )}
      </Question>
      <Question title="How fast?" consequences={found?.speed ?? []}>
        {table(
          line('IOPS floor', rateText(cls.iopsFloor)),
          line('IOPS ceiling', rateText(cls.iopsCeiling)),
          line('Writes', `${Math.round(cls.writeShare * 100)} % of the load`),
        )}
      </Question>
      <Question title="How is it kept?" consequences={found?.keeping ?? []}>
        {table(line('Encryption', cls.encrypted ? 'demanded' : 'not demanded'))}
      </Question>
      <Question title="What happens at the end?" consequences={found?.ending ?? []}>
        {table(
          line('Reclaim', cls.reclaim),
          line('Binding', cls.binding),
          line('Growing', cls.expansion ? 'allowed' : 'not allowed'),
        )}
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
  const makeDefault = useAct(async () => {
    await call(`/api/classes/${name}/default`, { method: 'PUT' });
    await queryClient.invalidateQueries({ queryKey: ['classes'] });
    return { text: `${name} is now the one default class.` };
  });
  const remove = useAct(async () => {
    await call(`/api/classes/${name}`, { method: 'DELETE' });
    await queryClient.invalidateQueries({ queryKey: ['classes'] });
    go('/classes');
    return { text: `Class ${name} is deleted.` };
  });
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'minmax(620px, 1fr) 380px', gap: 2, alignItems: 'start' }}>
      <Paper sx={{ p: 2 }}>
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', pb: 1.5, flexWrap: 'wrap' }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            {row.isDefault ? 'The default class. ' : ''}
            <Link component={RouterLink} to={keep(`/claims?class=${name}`)}>
              {row.claims} {row.claims === 1 ? 'claim' : 'claims'}
            </Link>
            , {row.bound} bound, <Size bytes={row.provisioned} /> provisioned on {row.mooredPools} moored{' '}
            {row.mooredPools === 1 ? 'pool' : 'pools'}.
          </Typography>
          {may && !row.isDefault && <Button onClick={() => makeDefault.mutate(undefined)}>Make it the default</Button>}
          {may && !asking && <Button onClick={() => setAsking(true)}>Delete</Button>}
        </Box>
        {asking && (
          <Box
            role="alert"
            sx={{
              border: 1,
              borderColor: 'error.main',
              p: 1.5,
              mb: 1.5,
              display: 'flex',
              alignItems: 'center',
              gap: 1,
            }}
          >
            <Typography variant="body2" sx={{ flex: 1 }}>
              {row.claims > 0
                ? `${row.claims} claims use ${name}: it cannot be deleted before they are gone or moved.`
                : `No claim uses ${name}. With it go its moorings; no data is touched.`}
            </Typography>
            <Button onClick={() => setAsking(false)}>Keep it</Button>
            <Button variant="contained" disabled={row.claims > 0} onClick={() => remove.mutate(undefined)}>
              Delete class
            </Button>
          </Box>
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
      </Paper>
      <Manifest
        text={stringify(toManifest(row.storageClass, row.isDefault))}
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
