import { screen } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, it } from "vitest";
import { keys } from "../api/keys";
import { experiment, serve, SESSION, show } from "../test/kit";
import { ExperimentPage } from "./ExperimentPage";

const RUNNING = experiment({ state: "running", rule_locked_at: "2026-03-02T08:00:00Z" });
const EVIDENCE = `GET /experiments/${RUNNING.key}/evidence`;

function openPage() {
  show(
    <Routes>
      <Route path="/experiments/:key/:sheet" element={<ExperimentPage />} />
    </Routes>,
    {
      address: `/experiments/${RUNNING.key}/nowhere`,
      known: [
        [keys.session, SESSION],
        [keys.experiment(RUNNING.key), RUNNING],
      ],
    },
  );
}

it("has nothing to press that would move once the reading is there", async () => {
  let answer = () => {};
  const after = new Promise<void>((resolve) => (answer = resolve));
  serve({ [EVIDENCE]: [{ status: 500, body: { title: "No" }, after }] });
  openPage();
  expect(screen.getByLabelText("Standing")).toBeTruthy();
  expect(screen.queryByText("Copy")).toBeNull();
  answer();
  // Where there is no reading to be had, what can be done stays there.
  expect(await screen.findByText("Copy")).toBeTruthy();
});
