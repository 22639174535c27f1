import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import { tiers } from '@moorage/contract/backends';
import type { AskedChange, KeptScenario, WhatIf as Asked, WhatIfAnswer } from '@moorage/contract/forecast';
import { sizeText } from '@moorage/core/sizes/display';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import dayjs from 'dayjs';
import { useEffect, useMemo, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh, usePlacement } from '../api/queries';
import { useInAddress, useKeepLine } from '../frame/address';
import { Confirm } from '../parts/Confirm';
import { OneOf } from '../parts/OneOf';
import { Place } from '../parts/Place';
import { Fetched } from '../parts/States';
import { useAct } from '../parts/useAct';
import { Column, Plain, Row, Sheet } from '../parts/layout';
import { ChangeRow, NumberField } from './ChangeRow';
import { changeKinds, changeTitles, firstWish, newChange, readWhatIf, type Names } from './changes';
import { dayText, endWords, isSoon, perDayText, runwayText } from './runway-words';

const marks = ['hard', 'ceiling', 'iops'] as const;
type Pool = WhatIfAnswer['pools'][number];
const same = (a: Pool['now']['hard'], b: Pool['now']['hard']) => JSON.stringify(a) === JSON.stringify(b);

function PoolRows({ answer }: { answer: WhatIfAnswer }) {
  return (
    <Table size="small" aria-label="Pools, now and then">
      <TableHead>
        <TableRow>
          <TableCell>Pool</TableCell>
          <TableCell align="right">Written, raw</TableCell>
          <TableCell align="right">Each day</TableCell>
          <TableCell align="right">Then each day</TableCell>
          {marks.map((m) => (
            <TableCell key={m} align="right">
              {m === 'hard' ? 'Hard mark' : m === 'ceiling' ? 'Ceiling of promises' : 'IOPS promised'}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {answer.pools.map((p) => (
          <TableRow key={p.id}>
            <TableCell component="th" scope="row">
              {p.id}
            </TableCell>
            <TableCell align="right">
              {sizeText(p.written)}{' '}
              <Box component="span" sx={{ color: 'var(--second-ink)' }}>
                of {sizeText(p.capacity)}
              </Box>
            </TableCell>
            <TableCell align="right">{perDayText('hard', p.writtenPerDay)}</TableCell>
            <TableCell align="right" sx={{ fontWeight: p.thenPerDay === p.writtenPerDay ? undefined : 700 }}>
              {perDayText('hard', p.thenPerDay)}
            </TableCell>
            {marks.map((m) => (
              <TableCell key={m} align="right" sx={{ whiteSpace: 'nowrap' }}>
                {same(p.now[m], p.then[m]) ? (
                  <span style={{ fontWeight: isSoon(p.now[m]) ? 700 : undefined }}>{runwayText(p.now[m])}</span>
                ) : (
                  <>
                    <Box component="span" sx={{ color: 'var(--second-ink)' }}>
                      {runwayText(p.now[m])} →{' '}
                    </Box>
                    <strong>{runwayText(p.then[m])}</strong>
                  </>
                )}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function Purchases({ answer, days }: { answer: WhatIfAnswer; days: number }) {
  if (answer.purchases.length === 0)
    return <Typography variant="body2">Every pool lasts {days} days: nothing has to be bought.</Typography>;
  const money = (value: number) => `${Math.round(value).toLocaleString('en-GB')} ${answer.currency}`;
  return (
    <Table size="small" aria-label="What to add">
      <TableHead>
        <TableRow>
          <TableCell>For</TableCell>
          <TableCell>What</TableCell>
          <TableCell>By</TableCell>
          <TableCell align="right">Cost</TableCell>
          <TableCell>Reckoned</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {answer.purchases.map((p, i) => (
          <TableRow key={i}>
            <TableCell component="th" scope="row">
              {p.pool}
            </TableCell>
            <TableCell>
              {p.kind === 'buy'
                ? `${p.units.toLocaleString('en-GB')} × ${sizeText(answer.units[p.pool] ?? 0)}, ${sizeText(p.raw)} raw`
                : `Let ${p.className} put what is new on ${p.to}`}
            </TableCell>
            <TableCell sx={{ whiteSpace: 'nowrap' }}>{dayText(p.by)}</TableCell>
            <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
              {p.kind === 'send' ? 'nothing' : p.cost === null ? 'no price given' : money(p.cost)}
            </TableCell>
            <TableCell>
              {p.kind === 'buy'
                ? `${sizeText(p.short)} above ${endWords.hard} in ${days} days, the upper end of the interval; what is added fills up to the mark only.`
                : `${sizeText(p.raw)} come to ${p.to} in ${days} days, which leaves ${sizeText(p.left)} below ${endWords.hard}.`}
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** Opening, keeping and dropping scenarios by their names. */
function Kept({
  kept,
  open,
  asked,
  opened,
}: {
  kept: readonly KeptScenario[];
  open: (name: string) => void;
  asked: Asked;
  opened: KeptScenario | undefined;
}) {
  const [name, setName] = useState(opened?.name ?? '');
  useEffect(() => setName(opened?.name ?? ''), [opened?.name]);
  const keep = useAct(async () => {
    const { version } = opened?.name === name.trim() ? opened : { version: undefined };
    const is = await ask('keepScenario', {
      params: { name: name.trim() },
      body: { ...asked, ...(version !== undefined && { version }) },
    });
    await refresh('scenarios');
    open(is.name);
    return { text: `"${is.name}" is kept.` };
  });
  const drop = useAct(async (gone: KeptScenario) => {
    await ask('dropScenario', { params: { name: gone.name } });
    await refresh('scenarios');
    open('');
    const { changes, wish } = gone;
    return {
      text: `"${gone.name}" is dropped.`,
      undo: async () => {
        await ask('keepScenario', { params: { name: gone.name }, body: { changes, wish } });
        await refresh('scenarios');
      },
    };
  });
  return (
    <Row
      component="form"
      gap={1.5}
      align="flex-start"
      wraps
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        if (name.trim()) keep.mutate(undefined);
      }}
    >
      <OneOf
        label="Scenario"
        width={200}
        value={opened?.name ?? ''}
        options={[['', 'a new one'], ...kept.map((k) => k.name)]}
        choose={open}
      />
      <TextField
        label="Keep it as"
        value={name}
        onChange={(e) => setName(e.target.value)}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 100 } }}
      />
      <Button type="submit" disabled={!name.trim() || keep.isPending}>
        Keep
      </Button>
      {opened && (
        <Confirm word="Drop" title={`Drop "${opened.name}"?`} disabled={drop.isPending} act={() => drop.mutate(opened)}>
          Nothing but the scenario goes.
        </Confirm>
      )}
    </Row>
  );
}

function Editor({
  names,
  kept,
  opened,
  open,
}: {
  names: Names;
  kept: readonly KeptScenario[];
  opened: KeptScenario | undefined;
  open: (name: string) => void;
}) {
  const [asked, setAsked] = useState<Asked>(
    opened ? { changes: opened.changes, wish: opened.wish } : { changes: [], wish: firstWish },
  );
  // what is typed keeps its row, whatever is taken out above it
  const [ids, setIds] = useState(() => asked.changes.map((_, i) => i));
  const put = (changes: AskedChange[]) => setAsked({ ...asked, changes });
  const read = readWhatIf(asked);
  const query = useQuery({
    queryKey: keys.runways.played(JSON.stringify(read)),
    queryFn: () => ask('playScenario', { body: read! }),
    enabled: read !== undefined,
    placeholderData: keepPreviousData,
  });
  return (
    <Column gap={1.5}>
      <Sheet>
        <Column gap={1.5}>
          <Kept kept={kept} open={open} asked={asked} opened={opened} />
          <Plain sx={{ display: 'flex', flexDirection: 'column', gap: 1.5 }} aria-label="Changes">
            {asked.changes.map((change, i) => (
              <ChangeRow
                key={ids[i]}
                change={change}
                names={names}
                set={(to) => put(asked.changes.map((c, n) => (n === i ? to : c)))}
                remove={() => {
                  put(asked.changes.filter((_, n) => n !== i));
                  setIds(ids.filter((_, n) => n !== i));
                }}
              />
            ))}
          </Plain>
          <Row gap={1} align="center" wraps>
            <Typography variant="body2">Add</Typography>
            {changeKinds.map((kind) => (
              <Button
                key={kind}
                disabled={asked.changes.length >= 50}
                onClick={() => {
                  put([...asked.changes, newChange(kind, names)]);
                  setIds([...ids, Math.max(-1, ...ids) + 1]);
                }}
              >
                {changeTitles[kind].toLowerCase()}
              </Button>
            ))}
          </Row>
        </Column>
      </Sheet>
      <Fetched query={query}>
        {(answer) => (
          <>
            <Sheet sx={{ p: 0, overflowX: 'auto' }}>
              <PoolRows answer={answer} />
            </Sheet>
            <Sheet>
              <Column gap={1.5}>
                <Row gap={1.5} align="center" wraps>
                  <Typography variant="h2" sx={{ mr: 1 }}>
                    What to add
                  </Typography>
                  <NumberField
                    label="Days it is to last"
                    value={asked.wish.days}
                    most={1095}
                    set={(days) =>
                      setAsked({ ...asked, wish: { ...asked.wish, days: Math.max(1, Math.round(days ?? 180)) } })
                    }
                    width={140}
                  />
                  {tiers.map((tier) => (
                    <NumberField
                      key={tier}
                      label={`${answer.currency} a raw TiB, ${tier}`}
                      value={asked.wish.pricePerTiB[tier]}
                      set={(price) =>
                        setAsked({
                          ...asked,
                          wish: { ...asked.wish, pricePerTiB: { ...asked.wish.pricePerTiB, [tier]: price } },
                        })
                      }
                      width={170}
                    />
                  ))}
                </Row>
                <Purchases answer={answer} days={asked.wish.days} />
                <Typography variant="body2" color="text.secondary">
                  On the numbers of {dayjs(answer.at).format('D MMM YYYY, HH:mm')}. Nothing here changes anything.
                </Typography>
              </Column>
            </Sheet>
          </>
        )}
      </Fetched>
    </Column>
  );
}

/** What changes would do, before anybody makes them. */
export default function WhatIf() {
  const keep = useKeepLine();
  const [name, open] = useInAddress('scenario');
  const scenarios = useQuery({ queryKey: keys.scenarios(), queryFn: () => ask('listScenarios') });
  const { data: state } = usePlacement();
  const names = useMemo(
    (): Names => ({
      classes: state?.classes.map((c) => c.name) ?? [],
      pools: state?.pools.filter((p) => p.goneSince === null).map((p) => p.id) ?? [],
      namespaces: [...(state?.namespaces ?? [])],
    }),
    [state],
  );
  return (
    <Place
      title="What if"
      question="What would a new application, more disks, another copy or another growth do, and what has to be bought?"
      actions={
        <Button component={RouterLink} to={keep('/namespaces/runway')}>
          Runway
        </Button>
      }
    >
      <Fetched query={scenarios}>
        {(kept) => {
          const opened = kept.find((k) => k.name === name);
          return (
            state && (
              <Editor
                key={opened ? `${opened.name}/${opened.version}` : ''}
                names={names}
                kept={kept}
                opened={opened}
                open={open}
              />
            )
          );
        }}
      </Fetched>
    </Place>
  );
}
