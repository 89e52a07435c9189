import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Machine } from "../../api/client";
import { useWorkshop } from "../../api/queries";
import { FilePick } from "../../ui/FilePick";
import { Frame } from "../../ui/Frame";
import { Failure } from "../../ui/primitives";

/** A customer's machines from a table: all of them, or none where a row is wrong. */
function FromTable() {
  const [error, setError] = useState<Error | null>(null);
  const [kept, setKept] = useState<number | null>(null);
  const queries = useQueryClient();
  const read = async (chosen: File) => {
    setError(null);
    setKept(null);
    try {
      setKept((await api.keepMachines(await chosen.text())).machines.length);
      await queries.invalidateQueries();
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <section className="grid gap-2 rounded-lg border border-line bg-card p-3">
      <h2 className="font-bold">Machines from a table</h2>
      <p className="text-sm text-soft">
        A file (CSV) with a header: name, serial number, owner, hours, and the circuit by its name.
        A row that is wrong is named, and then nothing of the table is kept.
      </p>
      <FilePick
        label="Table of machines"
        accept=".csv,.txt,.tsv,text/csv,text/plain"
        onFile={(file) => void read(file)}
      />
      <p aria-live="polite" className="text-sm">
        {kept !== null && `${kept} ${kept === 1 ? "machine is" : "machines are"} in the list.`}
      </p>
      {error && <Failure error={error} />}
    </section>
  );
}

function Group({ name, id, machines }: { name: string; id: string; machines: Machine[] }) {
  return (
    <section>
      <div className="mb-1 flex items-baseline justify-between gap-3">
        <h2 className="font-bold">{name}</h2>
        {machines.length > 1 && (
          <Link
            to={`/fleets/${id}`}
            className="flex min-h-11 items-center font-semibold text-way underline underline-offset-4"
          >
            {machines.length === 2 ? "Both" : `All ${machines.length}`} side by side
          </Link>
        )}
      </div>
      <ul className="grid gap-2">
        {machines.map((m) => (
          <li key={m.id}>
            <Link
              to={`/machines/${m.id}`}
              className="grid min-h-11 grid-cols-[1.2fr_1fr_auto] items-center gap-3 rounded-lg border border-line bg-card px-3 py-2 hover:border-way"
            >
              <b>{m.name}</b>
              <span className="text-sm text-soft">
                {[m.owner, m.serial].filter(Boolean).join(" · ")}
              </span>
              <span className="text-sm tabular-nums">{m.hours.toLocaleString("en")} h</span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Every machine of the shop by its circuit. */
export function MachinesPage() {
  const shop = useWorkshop();
  const circuits = useQuery({ queryKey: ["circuits"], queryFn: api.circuits });
  const [search, setSearch] = useState("");
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const names = new Map((circuits.data ?? []).map((c) => [c.id, c.name]));
  const shown = (shop.data?.machines ?? []).filter((m) => {
    const all = `${m.name} ${m.owner} ${m.serial} ${names.get(m.circuit_id) ?? ""}`.toLowerCase();
    return words.every((w) => all.includes(w));
  });
  const groups = new Map<string, Machine[]>();
  for (const m of shown) groups.set(m.circuit_id, [...(groups.get(m.circuit_id) ?? []), m]);
  const failure = shop.error ?? circuits.error;
  return (
    <Frame title="Machines" subtitle={shop.data?.name}>
      <main className="min-h-0 flex-1 overflow-auto p-4">
        {failure && <Failure error={failure} />}
        <div className="mx-auto grid max-w-6xl grid-cols-[1fr_20rem] items-start gap-4 max-[900px]:grid-cols-1">
          <div className="grid gap-4">
            <input
              type="search"
              aria-label="Search the machines"
              placeholder="Name, owner, serial number, circuit"
              className="min-h-11 rounded-md border border-ink/40 bg-card px-3"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            {shop.data && shown.length === 0 && <p>No machine matches.</p>}
            {[...groups].map(([id, machines]) => (
              <Group key={id} id={id} name={names.get(id) ?? id} machines={machines} />
            ))}
          </div>
          <div className="grid gap-4">
            <Link
              to="/machines/new"
              className="grid min-h-11 place-items-center rounded-md border border-way bg-way px-4 font-semibold text-white"
            >
              A new machine
            </Link>
            <FromTable />
          </div>
        </div>
      </main>
    </Frame>
  );
}
