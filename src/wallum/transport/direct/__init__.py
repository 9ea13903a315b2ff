"""Direct light by rays: meter, contributions of sources, pools."""
