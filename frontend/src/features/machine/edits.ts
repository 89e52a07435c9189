/** Changes of a parts-and-joins list that keep it whole: every place that names a thing follows. */
import type { PartType } from "../../api/client";
import { lineFor } from "./listing";

/** One line that speaks of a part: where it stands, its name and its type. */
export interface PartLine {
  from: number;
  end: number;
  name: string;
  type: string;
}

const NOT_PARTS = new Set([
  "machine",
  "oil",
  "engine",
  "point",
  "function",
  "move",
  "spec",
  "timing",
]);
const NAME = /^[a-z][a-z0-9_]{0,59}$/;

/** The part whose line a place of the text is in, if it is one. */
export function partLineAt(text: string, cursor: number): PartLine | null {
  const from = text.lastIndexOf("\n", cursor - 1) + 1;
  const next = text.indexOf("\n", cursor);
  const end = next < 0 ? text.length : next;
  const [name = "", type = ""] = (text.slice(from, end).split("#")[0] ?? "").trim().split(/\s+/);
  return type && NAME.test(name) && !NOT_PARTS.has(name) ? { from, end, name, type } : null;
}

/** Every line that is a part's, in order. */
function partLines(text: string): PartLine[] {
  const found: PartLine[] = [];
  for (let at = 0; at <= text.length; ) {
    const part = partLineAt(text, at);
    if (part) found.push(part);
    const next = text.indexOf("\n", at);
    if (next < 0) break;
    at = next + 1;
  }
  return found;
}

/** A line in pieces: what stands in quotes is never changed. */
function outsideQuotes(line: string, change: (piece: string) => string): string {
  return line
    .split(/("(?:[^"\\]|\\.)*")/)
    .map((piece, i) => (i % 2 ? piece : change(piece)))
    .join("");
}

/** A name that no part has yet: the wanted one, or with the first free number behind it. */
export function freeName(text: string, wanted: string): string {
  const names = new Set(partLines(text).map((p) => p.name));
  const base = wanted.replace(/_\d+$/, "");
  let name = wanted;
  for (let n = 2; names.has(name); n += 1) name = `${base}_${n}`;
  return name;
}

/** A part with another name, wherever a list speaks of it: its line, functions, moves. */
export function renamePart(text: string, old: string, name: string): string {
  if (!NAME.test(name) || partLines(text).some((p) => p.name === name)) return text;
  const inMoves = new RegExp(`(^|\\s)${old}(?=\\.[a-z_0-9]+=)`, "g");
  const inFunctions = new RegExp(`((?:moves|load)=)${old}(?=[.\\s]|$)`, "g");
  return text
    .split("\n")
    .map((line) => {
      const first = line.trim().split(/\s+/)[0];
      if (first === "move") return outsideQuotes(line, (p) => p.replace(inMoves, `$1${name}`));
      if (first === "function")
        return outsideQuotes(line, (p) => p.replace(inFunctions, `$1${name}`));
      return first === old && partLineAt(line, 0)
        ? line.replace(new RegExp(`^(\\s*)${old}\\b`), `$1${name}`)
        : line;
    })
    .join("\n");
}

/** A part of another type: joins and numbers that the new one has too stay, its other ports are open. */
export function changeType(text: string, part: PartLine, type: PartType): string {
  const line = text.slice(part.from, part.end);
  const known = new Set([...type.ports, ...type.parameters.map((p) => p.name)]);
  const own = new Set(["label", "at", "access", "replace", "cost", "serviceable", "weight"]);
  const kept: string[] = [];
  const joined = new Set<string>();
  for (const word of line.match(/(?:[^\s"]|"(?:[^"\\]|\\.)*")+/g)?.slice(2) ?? []) {
    const given = /^([\w.]+)=/.exec(word)?.[1];
    if (given === undefined || known.has(given) || own.has(given)) kept.push(word);
    else if (given.startsWith("max.") && known.has(given.slice(4))) kept.push(word);
    if (given) joined.add(given);
  }
  const open = type.ports
    .filter((port) => !joined.has(port) && !type.optional.includes(port))
    .map((port) => `${port}=?`);
  const made = [part.name, type.name, ...kept, ...open].join(" ");
  return text.slice(0, part.from) + made + text.slice(part.end);
}

/** Ports of a part's line with the nets they are joined to. */
export function joinsOf(text: string, part: PartLine, type: PartType): Map<string, string> {
  const found = new Map<string, string>();
  for (const [, port = "", net = ""] of text
    .slice(part.from, part.end)
    .matchAll(/\s(\w+)=([\w?]+)/g))
    if (type.ports.includes(port)) found.set(port, net);
  return found;
}

/** A port of a part joined to another net. */
export function joinPort(text: string, part: PartLine, port: string, net: string): string {
  const line = text.slice(part.from, part.end);
  const made = line.replace(new RegExp(`(\\s${port}=)[\\w?]+`), `$1${net}`);
  return text.slice(0, part.from) + made + text.slice(part.end);
}

/**
 * A part put into the line that leads to a port: it takes the port's net, and a net of its own leads
 * on to the port. Its first two ports are those that the oil goes through.
 */
export function insertInto(
  text: string,
  part: PartLine,
  port: string,
  type: PartType,
): { text: string; from: number; to: number } {
  const line = text.slice(part.from, part.end);
  const net = new RegExp(`\\s${port}=(\\w+)`).exec(line)?.[1] ?? "?";
  const [first = "", second = ""] = type.ports;
  const fresh = lineFor(type, text);
  const name = fresh.split(" ")[0] ?? type.name;
  const between = freeNet(text, `${name}_${second.toLowerCase()}`);
  const made = fresh
    .replace(` ${first}=?`, ` ${first}=${net}`)
    .replace(` ${second}=?`, ` ${second}=${between}`);
  const joined = joinPort(text, part, port, between);
  const end = part.end + joined.length - text.length;
  const whole = `${joined.slice(0, part.from)}${made}\n${joined.slice(part.from)}`;
  const open = made.indexOf("=?");
  return {
    text: whole,
    from: open < 0 ? end + made.length + 1 : part.from + open + 1,
    to: open < 0 ? end + made.length + 1 : part.from + open + 2,
  };
}

const netsOf = (line: string): string[] =>
  [...line.matchAll(/\s(\w+)=([a-z]\w*)(?=\s|$)/g)].map((found) => found[2] ?? "");

function freeNet(text: string, wanted: string): string {
  const nets = new Set(text.split("\n").flatMap(netsOf));
  const base = wanted.replace(/_\d+$/, "");
  let name = wanted;
  for (let n = 2; nets.has(name); n += 1) name = `${base}_${n}`;
  return name;
}

/**
 * The parts of some lines once more, below them: named anew, joined among themselves by nets of
 * their own, and to everything else by the same nets. A section of a block is typed once.
 */
export function duplicate(
  text: string,
  from: number,
  to: number,
  types: PartType[],
): { text: string; from: number; to: number } {
  const start = text.lastIndexOf("\n", from - 1) + 1;
  const last = to > from && text[to - 1] === "\n" ? to - 1 : to;
  const next = text.indexOf("\n", last);
  const end = next < 0 ? text.length : next;
  const chosen = text.slice(start, end).split("\n");
  const ports = (line: string) => {
    const part = partLineAt(line, 0);
    return part ? (types.find((t) => t.name === part.type)?.ports ?? []) : [];
  };
  const joined = (line: string) =>
    ports(line).flatMap((port) => new RegExp(`\\s${port}=([a-z]\\w*)`).exec(line)?.[1] ?? []);
  const outside = new Set(
    `${text.slice(0, start)}${text.slice(end)}`.split("\n").flatMap((line) => {
      const engine = /^\s*engine\s+(\w+)/.exec(line)?.[1];
      return engine ? [engine] : joined(line);
    }),
  );
  let whole = text;
  const nets = new Map<string, string>();
  const made: string[] = [];
  for (const line of chosen) {
    const part = partLineAt(line, 0);
    if (!part) continue;
    let copy = line.replace(
      new RegExp(`^(\\s*)${part.name}\\b`),
      `$1${freeName(`${whole}\n${made.join("\n")}`, part.name)}`,
    );
    for (const port of ports(line)) {
      copy = copy.replace(new RegExp(`(\\s${port}=)([a-z]\\w*)`), (_, given, net) => {
        if (outside.has(net)) return given + net;
        if (!nets.has(net)) nets.set(net, freeNet(`${whole}\n${made.join("\n")}`, net));
        return given + nets.get(net);
      });
    }
    made.push(copy);
  }
  const block = made.join("\n");
  whole = `${text.slice(0, end)}${block ? "\n" : ""}${block}${text.slice(end)}`;
  return { text: whole, from: end + (block ? 1 : 0), to: end + (block ? 1 + block.length : 0) };
}

/** What was typed, step by step, to be taken back and done again. */
export interface Past {
  past: string[];
  text: string;
  future: string[];
  at_ms: number;
}

const MERGED_MS = 1000;
const MOST_STEPS = 200;

/** One change more. Keys struck one after the other are one step. */
export function changed(history: Past, text: string, now_ms: number): Past {
  if (text === history.text) return history;
  const small = Math.abs(text.length - history.text.length) <= 1;
  const merged = small && now_ms - history.at_ms < MERGED_MS && history.past.length > 0;
  const past = merged ? history.past : [...history.past, history.text].slice(-MOST_STEPS);
  return { past, text, future: [], at_ms: small ? now_ms : 0 };
}

export function undone(history: Past): Past {
  const text = history.past.at(-1);
  if (text === undefined) return history;
  return {
    past: history.past.slice(0, -1),
    text,
    future: [history.text, ...history.future],
    at_ms: 0,
  };
}

export function redone(history: Past): Past {
  const [text, ...future] = history.future;
  if (text === undefined) return history;
  return { past: [...history.past, history.text], text, future, at_ms: 0 };
}
