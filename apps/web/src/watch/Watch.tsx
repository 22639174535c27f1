import { Box, Button, Link, Paper, Typography } from '@mui/material';
import type { FindingRow } from '@moorage/contract/findings';
import { consequences, findingKinds, type Consequence } from '@moorage/core/findings/finding';
import dayjs from 'dayjs';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { useFindings } from '../api/cluster-queries';
import { refresh } from '../api/queries';
import { useInAddress, useKeepLine } from '../frame/address';
import { Mark, type MarkKind } from '../marks/Mark';
import { AsideButton, type Aside } from '../parts/AsideButton';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { When } from '../parts/When';
import { Soundings } from './Soundings';
import { consequenceWords, findingWords } from './words';
import { Column, Plain, Row } from '../parts/layout';

const marks: Record<Consequence, MarkKind> = {
  'data-at-risk': 'lost',
  'claims-blocked': 'person',
  'one-failure-away': 'degraded',
  'time-to-limit': 'degraded',
  waste: 'waiting',
};

function SetAside({ finding }: { finding: FindingRow }) {
  const at = { id: finding.id };
  const put = async (body: Aside) => {
    await ask('setAside', { params: at, body });
    await refresh('findings');
    return () => ask('takeUp', { params: at }).then(() => refresh('findings'));
  };
  return <AsideButton put={put} />;
}

function TakeUp({ finding }: { finding: FindingRow }) {
  const at = { id: finding.id };
  const take = useAct(async () => {
    await ask('takeUp', { params: at });
    await refresh('findings');
    const { aside } = finding;
    return {
      text: 'It is on the list again.',
      ...(aside && {
        undo: () =>
          ask('setAside', { params: at, body: { reason: aside.reason, until: aside.until } }).then(() =>
            refresh('findings'),
          ),
      }),
    };
  });
  return <Button onClick={() => take.mutate(undefined)}>Take up again</Button>;
}

function FindingLine({ finding }: { finding: FindingRow }) {
  const keep = useKeepLine();
  const may = useMay('administrator', 'operator', 'storage-engineer');
  const { title, detail, remedy, path } = findingWords(finding);
  const rank = findingKinds[finding.kind];
  return (
    <Box
      component="li"
      data-finding={finding.kind}
      sx={{
        display: 'grid',
        gridTemplateColumns: '20px minmax(0, 1fr) 100px 290px',
        gap: 1.5,
        alignItems: 'center',
        py: 0.4,
        px: 1.5,
        borderTop: 1,
        borderColor: 'divider',
      }}
    >
      <Mark kind={marks[rank]} />
      <Box sx={{ minWidth: 0 }}>
        <strong>{title}</strong>
        <Typography variant="body2" color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
          {finding.aside
            ? `Set aside by ${finding.aside.person} until ${dayjs(finding.aside.until).format('D MMM YYYY')}: ${finding.aside.reason}`
            : detail}
        </Typography>
      </Box>
      <Typography variant="caption" color="text.secondary">
        since <When at={finding.since} />
      </Typography>
      <Row gap={1.5} align="center" justify="flex-end">
        <Link component={RouterLink} to={keep(path)} sx={{ textAlign: 'right', whiteSpace: 'nowrap' }}>
          {remedy}
        </Link>
        {may && (finding.aside ? <TakeUp finding={finding} /> : <SetAside finding={finding} />)}
      </Row>
    </Box>
  );
}

function Listed({ findings }: { findings: readonly FindingRow[] }) {
  const [aside, setAside] = useInAddress('aside');
  const shown = findings.filter((f) => (f.aside !== null) === (aside === 'yes'));
  const hidden = findings.filter((f) => f.aside !== null).length;
  return (
    <Column gap={1.5} sx={{ maxWidth: 1280 }}>
      {(hidden > 0 || aside === 'yes') && (
        <Box>
          <Button onClick={() => setAside(aside === 'yes' ? '' : 'yes')}>
            {aside === 'yes' ? 'Back to what needs you' : `${hidden} set aside`}
          </Button>
        </Box>
      )}
      {shown.length === 0 && (
        <Empty title={aside === 'yes' ? 'Nothing is set aside' : 'Nothing needs you'}>
          {aside === 'yes'
            ? ''
            : 'Backends, pools, disks, nodes, classes and claims are as they should be. What changes appears here by itself.'}
        </Empty>
      )}
      {consequences.map((rank) => {
        const some = shown.filter((f) => findingKinds[f.kind] === rank);
        if (some.length === 0) return null;
        return (
          <Paper key={rank} component="section" aria-label={consequenceWords[rank]}>
            <Typography variant="h2" sx={{ px: 1.5, py: 0.5 }}>
              {consequenceWords[rank]}{' '}
              <Typography component="span" color="text.secondary">
                {some.length}
              </Typography>
            </Typography>
            <Plain>
              {some.map((f) => (
                <FindingLine key={f.id} finding={f} />
              ))}
            </Plain>
          </Paper>
        );
      })}
    </Column>
  );
}

/** The front screen: what needs a person, worst first, each with its remedy one step away. */
export default function Watch() {
  const query = useFindings();
  // pools are not of a namespace owner's world
  const isWhole = useMay('administrator', 'operator', 'storage-engineer', 'viewer');
  return (
    <Place
      title="Watch"
      question={
        <>
          What needs you now, and what comes first?{' '}
          <Typography component="span" variant="caption">
            A finding is something that needs a person; it leaves by itself when it is mended.
          </Typography>
        </>
      }
    >
      <Column gap={1.5} sx={{ maxWidth: 1280 }}>
        {isWhole && <Soundings />}
        <Fetched query={query}>{(findings) => <Listed findings={findings} />}</Fetched>
      </Column>
    </Place>
  );
}
