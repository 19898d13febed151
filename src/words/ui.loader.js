export const getRuntime = () => null;
export const getRuntimeRx = getRuntime;
