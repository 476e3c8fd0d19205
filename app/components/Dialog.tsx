import { useEffect, useRef, type ReactNode } from 'react';
import css from './Dialog.module.css';

/** A sheet over the page; Escape and a click beside it close it. */
export function Dialog({ title, onClose, children, wide }: { title: string; onClose: () => void; children: ReactNode; wide?: boolean }) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const dialog = ref.current!;
    if (!dialog.open) dialog.showModal();
  }, []);
  return (
    <dialog
      ref={ref}
      className={`${css.dialog} ${wide ? css.wide : ''}`}
      aria-label={title}
      onClose={onClose}
      onClick={(event) => {
        if (event.target === ref.current) onClose();
      }}
    >
      <div className={css.body}>
        <h2>{title}</h2>
        {children}
      </div>
    </dialog>
  );
}
