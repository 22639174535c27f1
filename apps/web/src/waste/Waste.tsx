import {
  Box,
  Button,
  Checkbox,
  Link,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { wasteKinds, type Waste as Told, type WasteRow } from '@moorage/contract/waste';
import { sizeText } from '@moorage/core/sizes/display';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { Round } from '../claims/Round';
import { refresh } from '../api/queries';
import { useAddress, useInAddress, useKeepLine, useTypedInAddress } from '../frame/address';
import { AsideButton, type Aside } from '../parts/AsideButton';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Empty, Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { Column, Fill, Row, Sheet } from '../parts/layout';
import { actOf, kindTitles, whyText } from './words';

const keyOf = ({ kind, subject }: WasteRow): string => `${kind}/${subject}`;
const money = (value: number, currency: string): string =>
  `${value.toLocaleString('en-GB', { maximumFractionDigits: value < 100 ? 2 : 0 })} ${currency}`;
const whichOf = (rows: readonly WasteRow[]) => rows.map(({ kind, subject }) => ({ kind, subject }));

function Sums({ told, kind, choose }: { told: Told; kind: string; choose: (kind: string) => void }) {
  return (
    <ToggleButtonGroup
      exclusive
      size="small"
      value={kind}
      aria-label="Kind"
      onChange={(_, to: string | null) => choose(to ?? '')}
    >
      {wasteKinds.map((k) => {
        const sum = told.sums.find((s) => s.kind === k);
        return (
          <ToggleButton key={k} value={k} sx={{ textAlign: 'left', display: 'block', lineHeight: 1.4, px: 1.5 }}>
            {kindTitles[k]}
            <Typography component="div" variant="body2">
              {sum?.count ?? 0}
              {(sum?.raw ?? 0) > 0 && ` · ${sizeText(sum!.raw)} raw`}
              {(sum?.saved ?? 0) > 0 && ` · ${money(sum!.saved, told.currency)} a month`}
            </Typography>
          </ToggleButton>
        );
      })}
    </ToggleButtonGroup>
  );
}

function Listed({ told, isAside }: { told: Told; isAside: boolean }) {
  const keep = useKeepLine();
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [deleting, setDeleting] = useState(false);
  const chosen = told.rows.filter((r) => picked.has(keyOf(r)));
  const put = async (aside: Aside) => {
    const which = whichOf(chosen);
    await ask('setWasteAside', { body: { which, ...aside } });
    setPicked(new Set());
    await refresh('waste');
    return async () => {
      await ask('takeWasteUp', { body: { which } });
      await refresh('waste');
    };
  };
  const take = useAct(async () => {
    await ask('takeWasteUp', { body: { which: whichOf(chosen) } });
    setPicked(new Set());
    await refresh('waste');
    return { text: 'It is on the list again.' };
  });
  if (told.rows.length === 0)
    return (
      <Empty title={isAside ? 'Nothing is set aside' : 'Nothing is wasted, as far as it is measured'}>
        {told.reckonedAt === null && !isAside
          ? 'It takes two weeks of history to know.'
          : 'Choose another kind, or a part of another name.'}
      </Empty>
    );
  if (deleting)
    return (
      <Round
        act="delete"
        claims={chosen}
        back="Back to what could be had back"
        close={() => {
          setDeleting(false);
          setPicked(new Set());
          void refresh('waste');
        }}
      />
    );
  const all = chosen.length === told.rows.length;
  // what somebody mounts is not thrown away from a list of many
  const mayGo = chosen.length > 0 && chosen.every((r) => r.kind === 'unmounted');
  return (
    <Column gap={1}>
      {may && (
        <Row gap={1.5} align="center">
          {isAside ? (
            <Button disabled={chosen.length === 0 || take.isPending} onClick={() => take.mutate(undefined)}>
              Take up again
            </Button>
          ) : (
            <>
              <AsideButton put={put} disabled={chosen.length === 0} />
              <Button disabled={!mayGo} onClick={() => setDeleting(true)} title="Claims that no pod mounts">
                Delete them
              </Button>
            </>
          )}
          <Typography variant="body2">
            {chosen.length === 0
              ? 'Choose some to set them aside, or to delete claims that no pod mounts.'
              : `${chosen.length} chosen: ${sizeText(chosen.reduce((sum, r) => sum + r.raw, 0))} raw, ${money(
                  chosen.reduce((sum, r) => sum + r.saved, 0),
                  told.currency,
                )} a month.`}
          </Typography>
        </Row>
      )}
      <Sheet sx={{ p: 0, overflowX: 'auto' }}>
        <Table size="small" aria-label="Waste">
          <TableHead>
            <TableRow>
              {may && (
                <TableCell padding="checkbox">
                  <Checkbox
                    size="small"
                    checked={all}
                    indeterminate={chosen.length > 0 && !all}
                    onChange={() => setPicked(new Set(all ? [] : told.rows.map(keyOf)))}
                    slotProps={{ input: { 'aria-label': 'All' } }}
                  />
                </TableCell>
              )}
              <TableCell>What</TableCell>
              <TableCell>Why</TableCell>
              <TableCell align="right">Frees, raw</TableCell>
              <TableCell align="right">Saves a month</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {told.rows.map((row) => {
              const [words, path] = actOf(row);
              const key = keyOf(row);
              const toggle = () => {
                const next = new Set(picked);
                if (!next.delete(key)) next.add(key);
                setPicked(next);
              };
              return (
                <TableRow key={key} hover selected={picked.has(key)}>
                  {may && (
                    <TableCell padding="checkbox">
                      <Checkbox
                        size="small"
                        checked={picked.has(key)}
                        onChange={toggle}
                        slotProps={{ input: { 'aria-label': `${row.name}, ${kindTitles[row.kind]}` } }}
                      />
                    </TableCell>
                  )}
                  <TableCell component="th" scope="row">
                    {row.namespace ? `${row.namespace}/${row.name}` : row.name}
                    <Typography variant="caption" color="text.secondary" component="div">
                      {row.pool ? `${row.className} on ${row.pool}` : 'class'}
                    </Typography>
                  </TableCell>
                  <TableCell>
                    {whyText(row, dayjs().diff(dayjs(row.since), 'day'))}
                    {row.aside && (
                      <Typography variant="caption" color="text.secondary" component="div">
                        {row.aside.reason}, until {dayjs(row.aside.until).format('D MMM YYYY')}, by {row.aside.person}
                      </Typography>
                    )}
                  </TableCell>
                  <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                    {row.raw > 0 ? sizeText(row.raw) : ''}
                  </TableCell>
                  <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                    {row.saved > 0 && money(row.saved, told.currency)}
                    {row.kind === 'too-fast' && (
                      <Box component="div" sx={{ color: 'var(--second-ink)', fontSize: 12 }}>
                        of {money(row.cost, told.currency)}
                      </Box>
                    )}
                  </TableCell>
                  <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                    <Link component={RouterLink} to={keep(path)}>
                      {words}
                    </Link>
                  </TableCell>
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
      </Sheet>
      {told.more > 0 && (
        <Typography variant="body2">There is more that saves less. A part of a name finds it.</Typography>
      )}
    </Column>
  );
}

/** What could be had back, with what it saves and the act that does it. */
export default function Waste() {
  const keep = useKeepLine();
  const change = useAddress();
  const [kind] = useInAddress('kind');
  const [aside] = useInAddress('aside');
  const [q, setQ] = useTypedInAddress('q');
  const known = wasteKinds.find((k) => k === kind);
  const isAside = aside === 'yes';
  const query = useQuery({
    queryKey: keys.waste(known ?? '', q, isAside ? 'yes' : 'no'),
    queryFn: () =>
      ask('listWaste', { query: { ...(known && { kind: known }), ...(q && { q }), aside: isAside ? 'yes' : 'no' } }),
    placeholderData: keepPreviousData,
  });
  return (
    <Place
      title="Waste"
      question="What could be had back, and what would it save? Measured over 14 days; a class is proposed only where it protects no less."
      actions={
        <Row gap={1}>
          <Button component={RouterLink} to={keep('/claims/salvage')}>
            Salvage
          </Button>
          <Button component={RouterLink} to={keep('/namespaces')}>
            Namespaces
          </Button>
        </Row>
      }
    >
      <Fetched query={query}>
        {(told) => (
          <Column gap={1.5}>
            <Row gap={1.5} align="center" wraps>
              <Sums told={told} kind={known ?? ''} choose={(to) => change({ kind: to || null })} />
              <Fill />
              <TextField
                label="Part of a name"
                value={q}
                onChange={(e) => setQ(e.target.value)}
                sx={{ width: 170 }}
                slotProps={{ inputLabel: { shrink: true } }}
              />
              {(told.aside > 0 || isAside) && (
                <Button onClick={() => change({ aside: isAside ? null : 'yes' })}>
                  {isAside ? 'Back to what is left' : `${told.aside} set aside`}
                </Button>
              )}
            </Row>
            <Listed key={`${known ?? ''}/${aside}`} told={told} isAside={isAside} />
          </Column>
        )}
      </Fetched>
    </Place>
  );
}
