import { BrowserRouter, Link, Route, Routes } from "react-router";
import { ComplaintPage } from "./features/complaint/ComplaintPage";
import { FleetPage } from "./features/history/FleetPage";
import { HistoryPage } from "./features/history/HistoryPage";
import { JobPage } from "./features/job/JobPage";
import { JobsPage } from "./features/jobs/JobsPage";
import { MachinePage } from "./features/machine/MachinePage";
import { MachinesPage } from "./features/machine/MachinesPage";
import { ReportPage } from "./features/report/ReportPage";
import { ShopPage } from "./features/shop/ShopPage";

export function App() {
  return (
    <BrowserRouter>
      <Routes>
        <Route path="/" element={<JobsPage />} />
        <Route path="/shop" element={<ShopPage />} />
        <Route path="/machines" element={<MachinesPage />} />
        <Route path="/fleets/:circuitId" element={<FleetPage />} />
        <Route path="/machines/new" element={<MachinePage />} />
        <Route path="/machines/:machineId" element={<HistoryPage />} />
        <Route path="/jobs/:jobId" element={<JobPage />} />
        <Route path="/jobs/:jobId/complaint" element={<ComplaintPage />} />
        <Route path="/jobs/:jobId/report" element={<ReportPage />} />
        <Route
          path="*"
          element={
            <main className="p-8">
              There is no such page. <Link to="/">All jobs</Link>
            </main>
          }
        />
      </Routes>
    </BrowserRouter>
  );
}
