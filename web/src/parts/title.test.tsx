import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { titleOf, useAnnounced, useTitle } from "./title";

function View({ parts }: { parts: string[] }) {
  useTitle(...parts);
  return <p aria-live="polite">{useAnnounced()}</p>;
}

afterEach(cleanup);

function Place({ name, inside }: { name: string; inside?: React.ReactNode }) {
  useTitle(name);
  return (
    <div id="content">
      <h1>{name}</h1>
      {inside}
    </div>
  );
}

describe("a view that is opened", () => {
  it("has the keyboard at its heading", () => {
    document.title = "Docket · Neat Verdict";
    render(<Place name="Casebook" />);
    expect(document.activeElement).toBe(screen.getByRole("heading"));
  });

  it.each([
    ["the page was just loaded", "Neat Verdict", ""],
    ["an address names a place on it", "Docket · Neat Verdict", "#segments"],
  ])("leaves the keyboard where it is while %s", (_, title, hash) => {
    document.title = title;
    window.location.hash = hash;
    render(<Place name="Casebook" />);
    expect(document.activeElement).toBe(document.body);
    window.location.hash = "";
  });

  it("leaves the keyboard to who types, as in the search", () => {
    document.title = "Docket · Neat Verdict";
    const { rerender } = render(<Place name="Docket" inside={<input aria-label="Find" />} />);
    screen.getByLabelText("Find").focus();
    rerender(<Place name="Found" inside={<input aria-label="Find" />} />);
    expect(document.activeElement).toBe(screen.getByLabelText("Find"));
  });
});

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
