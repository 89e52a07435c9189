import { useRef } from "react";
import { Button } from "./primitives";

interface FilePickProps {
  /** What the field is called for who cannot see it. */
  label: string;
  accept: string;
  onFile: (file: File) => void;
}

/** A button that opens a file; the same file can be chosen again. */
export function FilePick({ label, accept, onFile }: FilePickProps) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => field.current?.click()}>Choose the file</Button>
      <input
        ref={field}
        type="file"
        accept={accept}
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          if (chosen) onFile(chosen);
          e.target.value = "";
        }}
      />
    </>
  );
}
