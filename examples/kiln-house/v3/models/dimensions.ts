import { IsInt, Min } from "class-validator";

/** How large a fired pot is, in millimetres. */
export class Dimensions {
  @IsInt() @Min(1) height!: number;
  @IsInt() @Min(1) width!: number;
}
