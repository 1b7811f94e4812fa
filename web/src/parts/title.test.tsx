import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { titleOf, useAnnounced, useTitle } from "./title";

function View({ parts }: { parts: string[] }) {
  useTitle(...parts);
  return <p aria-live="polite">{useAnnounced()}</p>;
}

afterEach(cleanup);

describe("the name of the window", () => {
  it("is the view, of what, and whose program it is", () => {
    expect(titleOf("Evidence", "Fare calendar")).toBe("Evidence · Fare calendar · Neat Verdict");
    expect(titleOf("", "Fare calendar")).toBe("Fare calendar · Neat Verdict");
  });

  it("follows what is shown, and is said but for the page that was loaded", () => {
    document.title = "Neat Verdict";
    const { rerender } = render(<View parts={["Docket"]} />);
    expect(document.title).toBe("Docket · Neat Verdict");
    expect(screen.queryByText("Docket · Neat Verdict")).toBeNull();
    rerender(<View parts={["Evidence", "Fare calendar"]} />);
    expect(document.title).toBe("Evidence · Fare calendar · Neat Verdict");
    expect(screen.getByText("Evidence · Fare calendar · Neat Verdict").getAttribute("aria-live")).toBe("polite");
  });
});
