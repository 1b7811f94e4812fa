import { act, cleanup, render } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, expect, it } from "vitest";
import { useAddressParams } from "./useAddressParams";

afterEach(cleanup);

it("keeps a change that was made before the one before it was drawn, and takes empty ones away", () => {
  let seen = "";
  let change: (changes: Record<string, string>) => void = () => undefined;
  function Part() {
    const [params, set] = useAddressParams();
    seen = params.toString();
    change = set;
    return null;
  }
  render(
    <MemoryRouter initialEntries={["/?mine=yes&archive=yes"]}>
      <Part />
    </MemoryRouter>,
  );
  const drawn = change;
  act(() => {
    drawn({ mine: "" });
    drawn({ area: "Payment" });
  });
  expect(seen).toBe("archive=yes&area=Payment");
});
