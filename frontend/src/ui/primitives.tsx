import { Select as RadixSelect } from "radix-ui";
import type { ButtonHTMLAttributes, ReactNode } from "react";

const LOOKS = {
  main: "bg-way text-white border-way active:bg-way-deep",
  plain: "bg-card text-ink border-ink/40 active:bg-line",
  quiet: "bg-transparent text-way border-transparent underline underline-offset-4",
  chosen: "bg-ink text-white border-ink",
} as const;

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  look?: keyof typeof LOOKS;
}

export function Button({ look = "plain", className = "", ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      className={`min-h-11 rounded-md border px-4 py-2 font-semibold disabled:opacity-45 ${LOOKS[look]} ${className}`}
      {...rest}
    />
  );
}

const TONES = {
  good: "bg-good-soft text-good border-good/40",
  warn: "bg-warn-soft text-warn border-warn/40",
  stop: "bg-stop-soft text-stop border-stop/40",
  plain: "bg-card text-soft border-line",
} as const;

export function Notice({ tone, children }: { tone: keyof typeof TONES; children: ReactNode }) {
  return <div className={`rounded-md border px-3 py-2 text-sm ${TONES[tone]}`}>{children}</div>;
}

export function Tag({ tone, children }: { tone: keyof typeof TONES; children: ReactNode }) {
  return (
    <span
      className={`inline-block whitespace-nowrap rounded border px-1.5 py-0.5 font-semibold text-xs ${TONES[tone]}`}
    >
      {children}
    </span>
  );
}

export function Select({
  label,
  value,
  onChange,
  options,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
}) {
  return (
    <RadixSelect.Root value={value} onValueChange={onChange}>
      <RadixSelect.Trigger
        aria-label={label}
        className="flex min-h-11 w-full items-center justify-between gap-2 rounded-md border border-ink/40 bg-card px-3 text-left"
      >
        <RadixSelect.Value placeholder={label} />
        <RadixSelect.Icon aria-hidden="true">▾</RadixSelect.Icon>
      </RadixSelect.Trigger>
      <RadixSelect.Portal>
        <RadixSelect.Content
          position="popper"
          className="z-20 max-h-96 overflow-auto rounded-md border border-ink/40 bg-card shadow-lg"
        >
          <RadixSelect.Viewport>
            {options.map((option) => (
              <RadixSelect.Item
                key={option.value}
                value={option.value}
                className="flex min-h-11 cursor-pointer items-center px-3 outline-none data-[highlighted]:bg-way data-[highlighted]:text-white data-[state=checked]:font-bold"
              >
                <RadixSelect.ItemText>{option.label}</RadixSelect.ItemText>
              </RadixSelect.Item>
            ))}
          </RadixSelect.Viewport>
        </RadixSelect.Content>
      </RadixSelect.Portal>
    </RadixSelect.Root>
  );
}

/** Looks of a field that is typed in. */
export const FIELD = "min-h-11 w-full rounded-md border border-ink/40 bg-card px-3";

export function Failure({ error }: { error: Error }) {
  return (
    <div role="alert">
      <Notice tone="stop">{error.message}</Notice>
    </div>
  );
}
