import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { reading, show } from "../test/kit";
import { VariantTable } from "../sheets/evidence/VariantTable";
import { DataTable, type Column } from "./DataTable";

interface Fruit {
  name: string;
  price: number | null;
  note: string;
}

const FRUIT: Fruit[] = [
  { name: "pear", price: 9, note: "ripe" },
  { name: "apple", price: 10, note: "=1+1" },
  { name: "Quince", price: null, note: "-" },
];
const COLUMNS: Column<Fruit>[] = [
  { name: "Name", align: "left", hideable: false, value: (row) => row.name, cell: (row) => row.name },
  { name: "Price", value: (row) => row.price, cell: (row) => row.price ?? "–" },
  { name: "Half", value: (row) => row.price && row.price / 2, cell: () => "half" },
  { name: "Note", value: (row) => row.note, cell: (row) => row.note },
  { name: "Origin", value: () => "here", cell: () => "here" },
  { name: "Drawn", cell: () => "a picture" },
];

let copied = "";
beforeEach(() => {
  copied = "";
  vi.stubGlobal("navigator", {
    ...navigator,
    clipboard: { writeText: (text: string) => ((copied = text), Promise.resolve()) },
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const names = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((row) => within(row).getByRole("rowheader").textContent);
const copy = async () => {
  fireEvent.click(screen.getByRole("button", { name: "Copy table" }));
  await waitFor(() => expect(copied).not.toBe(""));
  return copied.split("\n").map((line) => line.split("\t"));
};

describe("a table", () => {
  const total: Fruit = { name: "together", price: 19, note: "" };
  const open = (more: object = {}) =>
    render(<DataTable label="Fruit" rows={FRUIT} columns={COLUMNS} rowKey={(row) => row.name} {...more} />);

  it("sorts by the head that is clicked, numbers by size, words by the alphabet, what is missing last", () => {
    open();
    expect(names()).toEqual(["pear", "apple", "Quince"]);
    fireEvent.click(screen.getByRole("button", { name: "Name" }));
    expect(names()).toEqual(["apple", "pear", "Quince"]);
    expect(screen.getByRole("columnheader", { name: /Name/ }).getAttribute("aria-sort")).toBe("ascending");
    fireEvent.click(screen.getByRole("button", { name: "Price" }));
    fireEvent.click(screen.getByRole("button", { name: /Price/ }));
    expect(names()).toEqual(["pear", "apple", "Quince"]);
  });

  it("keeps totals last, and an order that means something", () => {
    open({ totals: [total] });
    fireEvent.click(screen.getByRole("button", { name: "Name" }));
    expect(names().at(-1)).toBe("together");
    cleanup();
    open({ sortable: false });
    expect(screen.queryByRole("button", { name: "Name" })).toBeNull();
  });

  it("offers no order by a column that has no value", () => {
    open();
    expect(screen.queryByRole("button", { name: "Drawn" })).toBeNull();
    expect(screen.getByRole("columnheader", { name: "Drawn" })).toBeTruthy();
  });

  it("copies values in the order and the columns that are shown, and runs no formula", async () => {
    open({ totals: [total] });
    fireEvent.click(screen.getByRole("button", { name: "Name" }));
    fireEvent.click(screen.getByRole("button", { name: "Columns" }));
    fireEvent.click(await screen.findByRole("menuitemcheckbox", { name: "Half" }));
    fireEvent.keyDown(screen.getByRole("menu"), { key: "Escape" });
    expect(screen.queryByRole("columnheader", { name: "Half" })).toBeNull();
    expect(await copy()).toEqual([
      ["Name", "Price", "Note", "Origin"],
      ["apple", "10", "'=1+1", "here"],
      ["pear", "9", "ripe", "here"],
      ["Quince", "", "'-", "here"],
      ["together", "19", "", "here"],
    ]);
  });
});

describe("the variant table, copied", () => {
  it("has each figure in a cell of its own", async () => {
    show(<VariantTable reading={reading()} />);
    const [head, control, variant] = await copy();
    expect(head).toEqual("variant,name,units,conversions,rate,lift,lift low,lift high,p,p adjusted".split(","));
    expect(control?.slice(5)).toEqual(["", "", "", "", ""]);
    expect(variant?.slice(0, 1)).toEqual(["B"]);
    expect(variant?.slice(5).every((cell) => cell !== "" && Number.isFinite(Number(cell)))).toBe(true);
  });

  it("takes no lift out of an unsound test", async () => {
    show(<VariantTable reading={reading({ verdict: "unsound" })} />);
    const [, , variant] = await copy();
    expect(variant?.slice(5)).toEqual(["", "", "", "", ""]);
  });
});
