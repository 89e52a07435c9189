import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Instrument, Workshop } from "../api/client";
import { calibratedUntil, newId, outOfDate } from "./shop/kit";
import { ShopPage } from "./shop/ShopPage";

const gauge: Instrument = {
  id: "gauge_250",
  label: "Gauge 250",
  measures: "pressure",
  low: 0,
  high: 250,
  unit: "bar",
  accuracy_pct: 1.6,
  retired: false,
  calibrated_on: "2026-01-31",
  calibration_months: 6,
};

const shop: Workshop = {
  name: "Shop",
  currency: "EUR",
  labour_per_min: 1.5,
  instruments: [gauge],
  units: [
    { symbol: "bar", kind: "pressure", factor: 1, offset: 0, below: null, quantities: [] },
    { symbol: "psi", kind: "pressure", factor: 0.069, offset: 0, below: null, quantities: [] },
    { symbol: "V", kind: "voltage", factor: 1, offset: 0, below: null, quantities: [] },
  ],
  machines: [],
};

const sent: { method: string; path: string; body: Record<string, unknown> }[] = [];

const page = () =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <ShopPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );

function open() {
  sent.length = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method !== "GET") {
      const path = new URL(request.url).pathname;
      sent.push({ method: request.method, path, body: await request.json() });
    }
    return new Response(JSON.stringify(shop), {
      status: 200,
      headers: { "content-type": "application/json" },
    });
  });
  page();
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("calibration", () => {
  it("is good for its months, and then said to be out of date", () => {
    expect(calibratedUntil(gauge)?.getFullYear()).toBe(2026);
    expect(outOfDate(gauge, new Date("2026-07-01"))).toBe("");
    expect(outOfDate(gauge, new Date("2026-09-01"))).toContain("was good until");
    expect(outOfDate({ ...gauge, calibrated_on: null }, new Date("2030-01-01"))).toBe("");
  });
});

describe("a new instrument's name", () => {
  it("is one that the kit does not have", () => {
    expect(newId("own", [])).toBe("own_1");
    expect(newId("own", ["own_1", "own_2"])).toBe("own_3");
  });
});

describe("the shop's page", () => {
  it("keeps an hour's price as minutes, and refuses what is no price", async () => {
    open();
    const rate = (await screen.findByLabelText("An hour costs")) as HTMLInputElement;
    expect(rate.value).toBe("90");
    const keep = screen.getByRole("button", { name: "Keep" }) as HTMLButtonElement;
    fireEvent.change(rate, { target: { value: "much" } });
    expect(keep.disabled).toBe(true);
    fireEvent.change(rate, { target: { value: "96,6" } });
    fireEvent.click(keep);
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({ method: "PATCH", path: "/api/workshop" });
    expect(sent[0]?.body.labour_per_min).toBeCloseTo(1.61);
  });

  it("retires an instrument without losing it", async () => {
    open();
    fireEvent.click(await screen.findByRole("button", { name: "Retire Gauge 250" }));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toEqual({
      method: "PUT",
      path: "/api/workshop/instruments/gauge_250",
      body: { ...gauge, retired: true },
    });
  });

  it("adds an instrument whose range is a range", async () => {
    open();
    fireEvent.click(await screen.findByRole("button", { name: "An instrument more" }));
    const keep = screen.getByRole("button", { name: "Keep the instrument" }) as HTMLButtonElement;
    expect(keep.disabled).toBe(true);
    fireEvent.change(screen.getByLabelText(/^Name/), { target: { value: "Gauge 60" } });
    fireEvent.change(screen.getByLabelText("To"), { target: { value: "-1" } });
    expect(keep.disabled).toBe(true);
    fireEvent.change(screen.getByLabelText(/^To/), { target: { value: "60" } });
    fireEvent.click(keep);
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({
      path: "/api/workshop/instruments/own_1",
      body: { label: "Gauge 60", high: 60, unit: "bar", measures: "pressure" },
    });
  });
});

describe("everything as files", () => {
  it("is written in the background and then saved, once more as it stands the next time", async () => {
    let asked = 0;
    vi.stubGlobal("fetch", async (request: Request) => {
      const path = new URL(request.url).pathname;
      if (path === "/api/exports") asked += 1;
      const answers: Record<string, unknown> = {
        "/api/exports": { standing: "abc", pending: asked < 2 },
        "/api/queue": [],
      };
      return new Response(JSON.stringify(answers[path] ?? shop), {
        status: 200,
        headers: { "content-type": "application/json" },
      });
    });
    page();
    fireEvent.click(await screen.findByRole("button", { name: "Write all jobs" }));
    const save = await screen.findByRole("link", { name: "Save the archive" }, { timeout: 5000 });
    expect(save.getAttribute("href")).toBe("/api/exports/abc.zip");
    expect(asked).toBe(2);
    fireEvent.click(save);
    expect(await screen.findByRole("button", { name: "Write all jobs" })).toBeTruthy();
  });
});
