import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Asked } from "./Asked";

afterEach(cleanup);

const mutate = vi.fn<(done: { onSuccess: () => void }) => void>();
const asked = (isPending = false, error: Error | null = null) => (
  <Asked what="Withdraw" name="Withdraw… the key" title="Withdraw the key?" run={{ mutate, isPending, error }}>
    The shop is cut off.
  </Asked>
);
const yes = () => screen.getByRole("button", { name: "Withdraw" });

describe("what cannot be undone", () => {
  it("is done only once it was asked, and the question goes when it is done", () => {
    mutate.mockReset();
    render(asked());
    fireEvent.click(screen.getByLabelText("Withdraw… the key"));
    expect(mutate).not.toHaveBeenCalled();
    expect(screen.getByRole("dialog", { name: "Withdraw the key?" }).textContent).toContain("The shop is cut off.");
    fireEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(mutate).not.toHaveBeenCalled();
    mutate.mockImplementation((done) => done.onSuccess());
    fireEvent.click(screen.getByLabelText("Withdraw… the key"));
    fireEvent.click(yes());
    expect(mutate).toHaveBeenCalledTimes(1);
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  it("cannot be done twice while it works, and says why it was refused", () => {
    const { rerender } = render(asked());
    fireEvent.click(screen.getByLabelText("Withdraw… the key"));
    rerender(asked(true));
    expect(yes()).toHaveProperty("disabled", true);
    rerender(asked(false, new Error("It is withdrawn already")));
    expect(screen.getByRole("alert").textContent).toBe("It is withdrawn already");
  });
});
