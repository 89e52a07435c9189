import type { ReactNode } from "react";
import { Link } from "react-router";

/** The page's head: a detour sign of our own, where we are, and what can be done here. */
export function Frame({
  title,
  subtitle,
  actions,
  children,
}: {
  title: string;
  subtitle?: string;
  actions?: ReactNode;
  children: ReactNode;
}) {
  return (
    <div className="flex h-full flex-col print:block">
      <header className="flex print:hidden min-h-14 items-center gap-4 border-ink border-b-2 bg-card px-4">
        <Link
          to="/"
          className="flex min-h-11 items-center gap-2 font-bold"
          aria-label="Umweg, all jobs"
        >
          <svg width="30" height="26" viewBox="0 0 30 26" aria-hidden="true">
            <path
              d="M2 13 H7 V4 H23 V13 H28"
              className="fill-none stroke-way"
              strokeWidth="3.5"
              strokeLinejoin="round"
            />
            <path d="M12 13 H18" className="stroke-suspect" strokeWidth="3.5" />
            <path d="M15 8 V18" className="stroke-suspect" strokeWidth="3.5" />
          </svg>
          Umweg
        </Link>
        <div className="min-w-32 flex-1">
          <h1 className="truncate font-bold leading-tight">{title}</h1>
          {subtitle && <p className="truncate text-sm text-soft leading-tight">{subtitle}</p>}
        </div>
        {actions}
      </header>
      {children}
    </div>
  );
}
