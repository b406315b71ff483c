import { adviseOnGrants } from "./grants.js";
import { adviseOnIndexes } from "./indexes.js";
import { adviseOnNames } from "./names.js";
import { adviseOnReferences } from "./references.js";
import { adviseOnTruth } from "./truth.js";
import { adviseOnValues } from "./values.js";
import type { Review } from "./review.js";

/** What is worth a thought in models that can be built. */
export function advise(review: Review): void {
  adviseOnNames(review);
  adviseOnReferences(review);
  adviseOnIndexes(review);
  adviseOnValues(review);
  adviseOnTruth(review);
  adviseOnGrants(review);
}
