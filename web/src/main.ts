document.title = "x"
