import { Command as List } from 'cmdk';
import { useEffect, useMemo, useState } from 'react';
import { Dialog } from '../../components/Dialog';
import { search, type Found } from '../../components/search';
import { keyOf } from '../../store/keys';
import { loadReceivers } from '../../store/receivers';
import { commandsNow, terrainsNow, type Command } from './commands';
import { typedIn, valueFor, type Typed } from './typed';
import css from './Palette.module.css';

const KEPT = 'upland-cast:recent';
/** Commands that stand first, and those that are shown of what was found. */
const [RECENT, SHOWN] = [6, 60];

function recent(): string[] {
  try {
    const read: unknown = JSON.parse(localStorage.getItem(KEPT) ?? '[]');
    return Array.isArray(read) ? read.filter((id) => typeof id === 'string') : [];
  } catch {
    return [];
  }
}

function remember(id: string): void {
  try {
    localStorage.setItem(KEPT, JSON.stringify([id, ...recent().filter((one) => one !== id)].slice(0, RECENT)));
  } catch {
    // A browser that keeps nothing remembers none.
  }
}

/** What is found by words, and by the number typed behind them where there is one; the best first. */
function shownBy(commands: readonly Command[], query: string): { shown: Found<Command>[]; typed: Typed | null } {
  const { words, typed } = typedIn(query);
  // A number may be part of what something is called.
  const named = typed ? search(commands, query) : [];
  const found = [...search(commands, words).filter(({ item }) => item.run ?? item.takes), ...named].filter(
    ({ item }, i, all) => all.findIndex((other) => other.item.id === item.id) === i,
  );
  const fitting = typed ? [...found.filter(({ item }) => item.takes && typeof valueFor(item, typed) === 'number'), ...named] : found;
  // What does something comes before what tells of it.
  const told = (one: Found<Command>) => Number(one.item.group === 'Help' || one.item.group === 'What went wrong');
  const shown = (fitting.length ? fitting : found).sort((a, b) => told(a) - told(b)).slice(0, SHOWN);
  return { shown, typed };
}

/** Everything that can be done, found by what it is called or by the trade's other words; a number typed behind it is taken where it takes one. */
export function Palette({ onClose }: { onClose: () => void }) {
  const [query, setQuery] = useState('');
  const here = useMemo(commandsNow, []);
  const [terrains, setTerrains] = useState<Command[]>([]);
  useEffect(() => {
    void terrainsNow().then(setTerrains);
    void loadReceivers();
  }, []);
  const commands = useMemo(() => [...here, ...terrains], [here, terrains]);
  const { shown, typed } = useMemo(() => shownBy(commands, query), [commands, query]);
  const first = query.trim() === '' ? recent().flatMap((id) => commands.filter((one) => one.id === id)) : [];
  const groups = query.trim() === '' ? [...new Set(shown.map(({ item }) => item.group))] : null;
  const press = (item: Command) => {
    const value = item.takes && typed ? valueFor(item, typed) : null;
    if (typeof value !== 'number' && (!item.run || value !== null)) return;
    remember(item.id);
    // What it opens takes the place of the list.
    onClose();
    if (typeof value === 'number') item.takes!.run(value);
    else item.run!();
  };
  const row = ({ item, by }: Found<Command>, at: string) => (
    <Row key={`${at}${item.id}`} at={at} item={item} by={by} typed={typed} onPress={() => press(item)} />
  );
  return (
    <Dialog title="Find a command" onClose={onClose} plain>
      <List shouldFilter={false} loop label="Commands" className={css.palette}>
        <List.Input
          data-first
          className={css.find}
          value={query}
          onValueChange={setQuery}
          placeholder="What do you want to do? “thermal erosion”, “sea 12 m”, “block world” …"
        />
        <List.List className={css.list}>
          <List.Empty className={css.empty}>Nothing is found by “{query.trim()}”.</List.Empty>
          {first.length > 0 && (
            <List.Group heading="Used last" className={css.group}>
              {first.map((item) => row({ item, by: [] }, 'recent '))}
            </List.Group>
          )}
          {groups
            ? groups.map((group) => (
                <List.Group key={group} heading={group} className={css.group}>
                  {shown.filter(({ item }) => item.group === group).map((one) => row(one, ''))}
                </List.Group>
              ))
            : shown.map((one) => row(one, ''))}
        </List.List>
      </List>
    </Dialog>
  );
}

function Row({ item, by, typed, at, onPress }: { item: Command; by: string[]; typed: Typed | null; at: string; onPress: () => void }) {
  const value = item.takes && typed ? valueFor(item, typed) : null;
  const needs = item.takes && !item.run && !typed;
  return (
    <List.Item value={`${at}${item.id}`} className={css.row} onSelect={onPress} disabled={typeof value === 'string' && !item.run}>
      <b>
        {item.title}
        {typeof value === 'number' && ` ${typed!.value} ${typed!.unit || item.takes!.unit}`}
      </b>
      {by.length > 0 && <em>{by.join(', ')}</em>}
      <span>{typeof value === 'string' ? value : needs ? `Type a number behind it${item.takes!.unit ? `, in ${item.takes!.unit}` : ''}.` : item.summary}</span>
      {item.key && <kbd>{keyOf(item.key)}</kbd>}
    </List.Item>
  );
}
