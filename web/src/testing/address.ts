/** Stands for the address of a file that the page is built with. */
export default "/a-file";
