import { Stamp } from "emberset";

/** What the co-operative wants to know of every record: when it was made and last touched. */
export abstract class Tracked {
  @Stamp("created") createdAt!: Date;
  @Stamp("updated") updatedAt!: Date;
}
