import { Star } from 'lucide-react';
import { RollPicture } from './RollPicture';
import css from './RollsStrip.module.css';

interface Props {
  /** Read out, and shown under the picture. */
  name: string;
  shown: string;
  number: number;
  here: boolean;
  favourite: boolean;
  disabled: boolean;
  picture: Parameters<typeof RollPicture>[0];
  onGo: () => void;
  onFavour: (favourite: boolean) => void;
}

/** A roll that is kept: its picture, a press to go back to it, and a star. */
export function RollCard({ name, shown, number, here, favourite, disabled, picture, onGo, onFavour }: Props) {
  return (
    <li className={here ? css.here : ''}>
      <button type="button" className={css.go} aria-label={name} aria-pressed={here} disabled={disabled} onClick={onGo}>
        <RollPicture {...picture} />
        <span className="number">{shown}</span>
      </button>
      <button
        type="button"
        className={css.star}
        aria-pressed={favourite}
        aria-label={`Keep roll ${number} as a favourite`}
        title="A favourite"
        disabled={disabled}
        onClick={() => onFavour(!favourite)}
      >
        <Star size={12} fill={favourite ? 'currentColor' : 'none'} />
      </button>
    </li>
  );
}
