"""Program + treatments + levels -> samples, block by block."""
