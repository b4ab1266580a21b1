"""Signal kernels that modules share: each stands here once, and knows nothing of documents."""
