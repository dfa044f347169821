"""One raw page to its facts: directives, headings, links, images, blocks, language. Shares nothing between pages."""
