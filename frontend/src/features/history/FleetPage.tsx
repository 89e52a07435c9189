import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, type Fleet } from "../../api/client";
import { Frame } from "../../ui/Frame";
import { Failure } from "../../ui/primitives";
import { TrendChart } from "./Trend";

function Machines({ fleet }: { fleet: Fleet }) {
  return (
    <section>
      <h2 className="mb-2 font-bold">
        {fleet.machines.length} {fleet.machines.length === 1 ? "machine" : "machines"}
      </h2>
      <ul className="grid gap-2">
        {fleet.machines.map(({ machine, jobs }) => (
          <li key={machine.id}>
            <Link
              to={`/machines/${machine.id}`}
              className="block min-h-11 rounded-lg border border-line bg-card px-3 py-2 hover:border-way"
            >
              <b>{machine.name}</b>
              <span className="block text-sm text-soft">
                {[machine.owner, machine.serial].filter(Boolean).join(" · ")} ·{" "}
                {machine.hours.toLocaleString("en")} h · {jobs} {jobs === 1 ? "job" : "jobs"}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Finds({ fleet }: { fleet: Fleet }) {
  return (
    <section>
      <h2 className="font-bold">Found on them</h2>
      <p className="mb-2 text-sm text-soft">Faults that were repaired, and read again after it.</p>
      {fleet.finds.length === 0 ? (
        <p className="text-soft">None yet.</p>
      ) : (
        <table className="w-full rounded-md bg-card text-left text-sm">
          <thead>
            <tr className="border-ink border-b">
              <th scope="col" className="px-3 py-2">
                Part and fault
              </th>
              <th scope="col" className="text-right">
                Times
              </th>
              <th scope="col" className="text-right">
                Machines
              </th>
              <th scope="col" className="px-3 text-right">
                At hours
              </th>
            </tr>
          </thead>
          <tbody>
            {fleet.finds.map((f) => (
              <tr key={`${f.component}${f.fault}`} className="border-line border-b align-top">
                <td className="px-3 py-2">
                  <b>{f.part}</b>
                  <span className="block text-soft">{f.fault}</span>
                </td>
                <td className="py-2 text-right tabular-nums">{f.found}</td>
                <td className="py-2 text-right tabular-nums">
                  {f.machines} of {fleet.machines.length}
                </td>
                <td className="px-3 py-2 text-right tabular-nums">
                  {f.hours.map((h) => h.toLocaleString("en")).join(", ")}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** Machines of one circuit side by side: what goes wrong on one may be on its way on the next. */
export function FleetPage() {
  const { circuitId = "" } = useParams();
  const fleet = useQuery({ queryKey: ["fleet", circuitId], queryFn: () => api.fleet(circuitId) });
  const found = fleet.data;
  return (
    <Frame title={found?.circuit_name ?? "Machines"} subtitle="All machines with this circuit">
      <main className="min-h-0 flex-1 overflow-auto p-4">
        {fleet.error && <Failure error={fleet.error} />}
        {!found && !fleet.error && <p>Reading the machines' records …</p>}
        {found && (
          <div className="grid grid-cols-[22rem_1fr] items-start gap-4 max-[900px]:grid-cols-1">
            <Machines fleet={found} />
            <div className="grid gap-4">
              <Finds fleet={found} />
              <section>
                <h2 className="font-bold">Read on all of them</h2>
                <p className="mb-2 text-sm text-soft">
                  One line a machine, over its own hours; a cross is outside the specification.
                </p>
                {found.trends.length === 0 ? (
                  <p className="text-soft">Nothing was read twice at the same place yet.</p>
                ) : (
                  <div className="grid grid-cols-2 gap-3 max-[1100px]:grid-cols-1">
                    {found.trends.map((t) => (
                      <TrendChart key={`${t.quantity}/${t.place}/${t.state}`} trend={t} named />
                    ))}
                  </div>
                )}
              </section>
            </div>
          </div>
        )}
      </main>
    </Frame>
  );
}
