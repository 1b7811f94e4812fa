import type { ReactNode } from "react";
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from "react-aria-components";

/** A modal dialog: focus stays inside and returns to where it was, Escape closes. */
export function Dialog({ title, close, children }: { title: string; close: () => void; children: ReactNode }) {
  return (
    <ModalOverlay
      isOpen
      onOpenChange={(open) => !open && close()}
      className="fixed inset-0 z-50 flex items-center justify-center bg-black/40 p-4"
    >
      <Modal className="sheet max-h-full w-full max-w-xl overflow-auto p-5">
        <AriaDialog className="outline-none">
          <Heading slot="title" className="mb-3 text-xl">
            {title}
          </Heading>
          {children}
        </AriaDialog>
      </Modal>
    </ModalOverlay>
  );
}
