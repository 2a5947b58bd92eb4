"""The delivery presets that come with the application, for the usual cases."""

from escala.model.delivery_preset import DeliveryFile, DeliveryPreset

SHIPPED: tuple[DeliveryPreset, ...] = tuple(
    DeliveryPreset(escala="delivery", name=name, files=(file,))
    for name, file in (
        ("EXR for compositing", DeliveryFile(what="result", format="exr", pixel_type="half")),
        ("PNG as shown", DeliveryFile(what="result", format="png", bits=16)),
        ("Lights for compositing", DeliveryFile(what="lights", format="exr", pixel_type="half")),
        ("Mattes", DeliveryFile(what="mattes", format="exr", names="{shot}_{variant}_{name}.{frame}")),
        ("Video for viewing", DeliveryFile(what="result", format="webm", bits=8)),
        ("Lossless video", DeliveryFile(what="result", format="mkv", bits=10)),
        ("Break-down video", DeliveryFile(what="breakdown", format="webm", bits=8)),
    )
)
