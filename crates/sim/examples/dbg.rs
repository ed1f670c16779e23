use vistazo_core::geometry::*; use vistazo_core::target::*; use vistazo_sim::*;
fn main(){ for seed in std::env::args().skip(1).map(|a|a.parse::<u64>().unwrap()) { let job=small_job(seed); println!("seed {seed}");
 for k in 0..4 { let raw=scan(&job.scene,&job.instrument,&job.truth.poses[k],k,seed*100+k as u64,&|_|true).unwrap(); let n=raw.points.len(); let t=std::time::Instant::now(); let s=raw.into_scan().unwrap();
 let f=detect(&s,&job.instrument,&Search{sphere_radius:Some(0.1),checker_half:Some(0.15)}); println!(" scan {k} {n} pts {:?}",t.elapsed());
 for d in f { let w=job.truth.poses[k].apply(&d.centre); let mut all:Vec<Vec3>=job.scene.spheres.iter().map(|x|x.centre).collect(); all.extend(job.scene.boards.iter().map(|b|b.centre));
  let (i,q)=all.iter().enumerate().min_by(|a,b|(a.1-w).norm().total_cmp(&(b.1-w).norm())).unwrap(); let e=d.centre-job.truth.poses[k].inverse().apply(q); let t=e.dot(&(d.covariance.try_inverse().unwrap()*e));
  println!("   {:?} -> {i} R {:.2} err {:.2} mm sig {:.2} mm chi2 {:.1} hits {} s0 {:.2} r {:?} {:?}", d.kind, d.centre.norm(), e.norm()*1e3, d.covariance.trace().sqrt()*1e3, t, d.hits, d.s0, d.free_radius, d.size); } } } }
