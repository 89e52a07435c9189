import "@fontsource-variable/inter";
import "./app.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { makeOutbox, OutboxContext } from "./api/queries";
import { App } from "./app";

const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: false } },
});

const outbox = makeOutbox(queries);

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <OutboxContext value={outbox}>
          <App />
        </OutboxContext>
      </QueryClientProvider>
    </StrictMode>,
  );
}
