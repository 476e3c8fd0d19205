import { useRef, type ReactNode } from 'react';
import { useToolbar } from 'react-aria/useToolbar';

/** Tools side by side: one stop of the Tab key, and the arrow keys go from one to the next. */
export function ToolBar({ label, className, children }: { label: string; className?: string; children: ReactNode }) {
  const ref = useRef<HTMLDivElement>(null);
  const { toolbarProps } = useToolbar({ 'aria-label': label }, ref);
  return (
    <div {...toolbarProps} ref={ref} className={className}>
      {children}
    </div>
  );
}
