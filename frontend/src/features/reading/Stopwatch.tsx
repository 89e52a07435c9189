import { useEffect, useState } from "react";
import { Button } from "../../ui/primitives";

const SHOWN_EVERY_MS = 100;

/** Seconds as they are kept: a hand is no quicker than a tenth. */
export const seconds = (ms: number) => (ms / 1000).toFixed(1);

/** One tap starts it, the next one stops it and gives its seconds out. */
export function Stopwatch({ onStop }: { onStop: (text: string) => void }) {
  const [started, setStarted] = useState<number | null>(null);
  const [now, setNow] = useState(0);
  useEffect(() => {
    if (started === null) return;
    const timer = setInterval(() => setNow(performance.now()), SHOWN_EVERY_MS);
    return () => clearInterval(timer);
  }, [started]);
  const tap = () => {
    const at = performance.now();
    setNow(at);
    if (started === null) {
      setStarted(at);
    } else {
      setStarted(null);
      onStop(seconds(at - started));
    }
  };
  return (
    <Button
      look={started === null ? "plain" : "chosen"}
      className="min-h-14 text-lg"
      aria-pressed={started !== null}
      onClick={tap}
    >
      {started === null ? "Start the watch" : `Stop it · ${seconds(Math.max(now - started, 0))} s`}
    </Button>
  );
}
