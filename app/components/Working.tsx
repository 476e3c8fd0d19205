import { Square } from 'lucide-react';
import { Button } from './controls';
import css from './Working.module.css';

/** What is being done, and the share of it that is behind. */
export interface Work {
  words: string;
  share: number;
}

/** Long work with its words, its share, and a way to end it. */
export function Working({ work, onStop }: { work: Work; onStop: () => void }) {
  return (
    <div role="status" className={css.working}>
      <span>{work.words}</span>
      <progress max={1} value={work.share} />
      <Button onClick={onStop}>
        <Square size={11} fill="currentColor" /> Stop
      </Button>
    </div>
  );
}
