/** Whether waves are sent and received crosswise, as VH and HV are. */
export const isCross = (polarisation: string | undefined): boolean =>
  polarisation?.length === 2 && polarisation[0] !== polarisation[1];
