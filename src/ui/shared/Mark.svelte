<svg
  width="24"
  height="18"
  viewBox="0 0 24 18"
  fill="none"
  stroke="var(--navy)"
  stroke-width="2"
  aria-hidden="true"
>
  <path d="M2 3h8v6a4 4 0 0 1-8 0z" />
  <path d="M14 15h8V9a4 4 0 0 0-8 0z" stroke="var(--marigold)" />
  <path d="M10 9h4" />
</svg>
