import type { VariantOut } from "../../api/client";
import { usePictures } from "../../api/hooks";
import { day } from "../../lib/format";
import { FormError } from "../../parts/basics";
import { Letter } from "../../parts/Letter";
import { useEditing } from "../editing";

/** Adding and removing the pictures of one variant. */
export function VariantPictures({ variant }: { variant: VariantOut }) {
  const { experiment, mayEdit } = useEditing();
  const { add, remove } = usePictures(experiment.key);
  const send = (files: FileList | null) => {
    for (const file of files ?? []) add.mutate({ variant: variant.id, file });
  };
  return (
    <div className="py-1">
      <div className="flex flex-wrap gap-2">
        {variant.pictures.map((picture) => (
          <figure key={picture.id} className="relative">
            <img
              src={picture.url}
              alt={picture.caption || `${variant.name}, as seen`}
              className="h-16 rounded-sm border border-base-300"
            />
            {mayEdit && (
              <button
                className="btn btn-xs absolute top-0.5 right-0.5 px-1"
                aria-label={`Remove a picture of ${variant.letter}`}
                onClick={() => remove.mutate(picture.id)}
              >
                ✕
              </button>
            )}
          </figure>
        ))}
      </div>
      <EarlierPictures
        pictures={variant.earlier_pictures}
        variant={variant}
        remove={mayEdit ? (id) => remove.mutate(id) : undefined}
      />
      {mayEdit && (
        <label className="mt-1 block text-sm">
          <span className="quiet mb-0.5 block">Pictures of {variant.letter}</span>
          <input
            type="file"
            multiple
            accept="image/png,image/jpeg,image/webp,image/gif"
            className="file-input file-input-sm w-full"
            onChange={(event) => {
              send(event.target.files);
              event.target.value = "";
            }}
          />
        </label>
      )}
      <FormError error={add.error ?? remove.error} />
    </div>
  );
}

interface EarlierProps {
  pictures: VariantOut["earlier_pictures"];
  variant: Pick<VariantOut, "letter" | "name">;
  /** Remove one for good. */
  remove?: ((id: number) => void) | undefined;
}

/** What was shown of a variant until it was replaced on the way. */
export function EarlierPictures({ pictures, variant, remove }: EarlierProps) {
  if (pictures.length === 0) return null;
  return (
    <details className="mt-1 text-sm">
      <summary className="quiet cursor-pointer">
        Shown earlier of {variant.letter} ({pictures.length})
      </summary>
      <div className="mt-1 flex flex-wrap gap-2">
        {pictures.map((picture) => (
          <figure key={picture.id}>
            <a href={picture.url} target="_blank" rel="noreferrer">
              <img
                src={picture.url}
                alt={picture.caption || `${variant.name}, as seen earlier`}
                className="h-16 rounded-sm border border-base-300"
              />
            </a>
            <figcaption className="quiet text-xs">
              until {day(picture.until ?? "")}
              {remove && (
                <button className="btn btn-xs ml-1 px-1" onClick={() => remove(picture.id)}>
                  Delete
                </button>
              )}
            </figcaption>
          </figure>
        ))}
      </div>
    </details>
  );
}

/** The first picture of each variant next to one another, for those who were not there. */
export function SideBySide({ variants }: { variants: Pick<VariantOut, "letter" | "name" | "pictures">[] }) {
  if (!variants.some((variant) => variant.pictures.length)) return null;
  return (
    <div
      className="mt-2 flex gap-3 overflow-x-auto border-t border-base-300 pt-3"
      tabIndex={0}
      aria-label="Side by side"
    >
      {variants.map((variant) => (
        <figure key={variant.letter} className="min-w-40 flex-1">
          <figcaption className="mb-1 flex items-center gap-2 text-sm">
            <Letter letter={variant.letter} /> <bdi>{variant.name}</bdi>
          </figcaption>
          {variant.pictures[0] ? (
            <a href={variant.pictures[0].url} target="_blank" rel="noreferrer">
              <img
                src={variant.pictures[0].url}
                alt={variant.pictures[0].caption || `${variant.name}, as seen`}
                className="max-h-56 w-full rounded-sm border border-base-300 object-contain"
              />
            </a>
          ) : (
            <div className="quiet rounded-sm border border-dashed border-base-300 p-4 text-center text-sm">
              no picture
            </div>
          )}
        </figure>
      ))}
    </div>
  );
}
