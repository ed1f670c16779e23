//! Photographs of the roundhouse by a simulated camera, for whoever colours its clouds. Nothing is picked in them yet.

use crate::App;
use nalgebra::UnitQuaternion;
use vistazo_core::colour::Camera;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_sim::{Eye, Roundhouse};
use vistazo_store::Uuid;
use vistazo_store::photos::{self, photo_key};

/// Pixels.
const SIZE: [u32; 2] = [1800, 1200];
/// Where somebody stood, what they looked at (plan coordinates, metres), and the name of the file.
const TAKEN: [([f64; 3], [f64; 3], &str); 3] = [
    ([3.0, -4.0, 1.6], [-8.0, 22.0, 2.2], "bays-west.jpg"),
    ([-4.0, -3.0, 1.7], [9.0, 21.0, 2.2], "bays-east.jpg"),
    ([12.0, 14.0, 1.6], [-14.0, 8.0, 1.8], "ring.jpg"),
];

pub(super) async fn add(app: &App, job: Uuid, user: Uuid, house: &Roundhouse) -> anyhow::Result<()> {
    for (from, to, name) in TAKEN {
        let (from, to) = (Vec3::from(from), Vec3::from(to));
        let ahead = (to - from).normalize();
        let right = ahead.cross(&Vec3::z()).normalize();
        let axes = Mat3::from_columns(&[right, ahead.cross(&right), ahead]);
        let pose = Pose { rotation: UnitQuaternion::from_matrix(&axes), translation: from };
        let camera = Camera { pose, focal: 1250.0, centre: [912.0, 593.0], radial: [-0.07, 0.012] };
        // the second scan's time: nobody is in the way, and the crate has not come
        let pixels = Eye::open(&house.scene, 1).photograph(&camera, SIZE.map(|v| v as usize));
        let image = image::RgbImage::from_raw(SIZE[0], SIZE[1], pixels.into_flattened())
            .ok_or_else(|| anyhow::anyhow!("{name}: a photograph of another size than was asked for"))?;
        let mut bytes = std::io::Cursor::new(Vec::new());
        image.write_with_encoder(image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 90))?;
        let id = photos::new_photo();
        app.objects.put(&photo_key(job, id), bytes.into_inner()).await?;
        photos::add_photo(&app.db, job, user, id, name, SIZE.map(|v| v as i32)).await?;
    }
    Ok(())
}
