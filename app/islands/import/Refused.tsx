import { Button } from '../../components/controls';
import css from './ImportDialog.module.css';

/** Why a file is not taken in. */
export function Refused({ sentence, onClose }: { sentence: string; onClose: () => void }) {
  return (
    <>
      <p className={css.fault} role="alert">
        {sentence}
      </p>
      <footer className={css.foot}>
        <Button look="main" onClick={onClose}>
          Close
        </Button>
      </footer>
    </>
  );
}
