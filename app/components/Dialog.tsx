import { useEffect, useRef, type ReactNode } from 'react';
import css from './Dialog.module.css';

/** A sheet over the page; Escape and a click beside it close it. */
export function Dialog({
  title,
  onClose,
  children,
  wide,
  plain,
}: {
  title: string;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
  /** Its title is read and not seen. */
  plain?: boolean;
}) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const dialog = ref.current!;
    const from = document.activeElement;
    if (!dialog.open) dialog.showModal();
    dialog.querySelector<HTMLElement>('[data-first]')?.focus();
    // Where it was opened from goes on being where one is.
    return () => {
      if (from instanceof HTMLElement && from.isConnected) from.focus();
    };
  }, []);
  return (
    <dialog
      ref={ref}
      className={`${css.dialog} ${wide || plain ? css.wide : ''} ${plain ? css.atTop : ''}`}
      aria-label={title}
      onClose={onClose}
      onClick={(event) => {
        if (event.target === ref.current) onClose();
      }}
    >
      <div className={css.body}>
        {!plain && <h2>{title}</h2>}
        {children}
      </div>
    </dialog>
  );
}
