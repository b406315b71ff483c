export default function setup(): void {}
