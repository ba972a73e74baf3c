/** How long a word on a card and the mark of a lost packet stay, in seconds of the clock on the wall. */
export const stay = 1.2;
